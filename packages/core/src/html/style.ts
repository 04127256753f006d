/**
 * The style sheet of the served pages: one file, nothing fetched, both colour schemes, readable without it. Classes begin with `quill-` and custom
 * properties with `--quill-`; what is said of elements holds inside of `.quill` only, with no weight of its own: in somebody's own layout nothing
 * else is touched, and theirs wins where it says more (docs/mounting.md). `geometricPrecision`: without it Linux sets each letter at a whole pixel, and
 * bold words run together.
 */
export const styleSheet = `:root { --quill-paper: #f7f9f9; --quill-raised: #ffffff; --quill-ink: #1b2a3d; --quill-soft: #4c5b6c; --quill-rule: #c3ccd3; --quill-control: #75828f; --quill-live: #14655c; --quill-live-ground: #e3efec; --quill-refuse: #b0301c; --quill-draft: #7a5200; }
@supports (color: light-dark(red, red)) {
  :root { --quill-paper: light-dark(#f7f9f9, #1a2129); --quill-raised: light-dark(#ffffff, #212a33); --quill-ink: light-dark(#1b2a3d, #e3e9ee); --quill-soft: light-dark(#4c5b6c, #a9b6c2); --quill-rule: light-dark(#c3ccd3, #3c4955); --quill-control: light-dark(#75828f, #8494a2); --quill-live: light-dark(#14655c, #72c6b7); --quill-live-ground: light-dark(#e3efec, #1c3835); --quill-refuse: light-dark(#b0301c, #ff9b87); --quill-draft: light-dark(#7a5200, #e0b565); }
}
.quill-document { margin: 0; text-rendering: geometricPrecision; min-height: 100vh; font: 1rem/1.5 "Alegreya Sans", "Gill Sans", Candara, Optima, "Noto Sans", system-ui, sans-serif; background: var(--quill-paper); color: var(--quill-ink); font-variant-numeric: lining-nums; }
.quill-skip { position: absolute; clip-path: inset(50%); width: 1px; height: 1px; overflow: hidden; white-space: nowrap; }
.quill-skip:focus { clip-path: none; width: auto; height: auto; inset-inline-start: 1rem; top: .5rem; background: var(--quill-raised); padding: .25rem .5rem; z-index: 1; }
.quill-header { display: flex; flex-wrap: wrap; justify-content: space-between; gap: .5rem 2rem; padding: .6rem 1.5rem; border-bottom: 1px solid var(--quill-rule); }
.quill-home { color: var(--quill-ink); font-weight: 700; text-decoration: none; }
.quill-home:hover { text-decoration: underline; }
.quill-nav { flex: 1 1 auto; }
.quill-nav ul { display: flex; flex-wrap: wrap; gap: .1rem 1.1rem; list-style: none; margin: 0; padding: 0; }
.quill-nav-folded { display: none; }
.quill-nav-folded ul { list-style: none; margin: .25rem 0; padding: 0; }
.quill-nav-folded li { padding: .2rem 0; }
.quill-header [aria-current=page] { color: var(--quill-ink); font-weight: 700; text-decoration: none; }
@media (max-width: 48rem) {
  .quill-nav { display: none; }
  .quill-nav-folded { display: block; order: 1; flex-basis: 100%; }
}
.quill-person, .quill-person form { display: flex; gap: 1rem; align-items: baseline; color: var(--quill-soft); }
.quill-content { max-width: 62rem; margin: 0 auto; padding: 1.25rem 1.5rem 4rem; }
:where(.quill, .quill *) { box-sizing: border-box; }
:where(.quill) { overflow-wrap: break-word; }
:where(.quill) a { color: var(--quill-live); text-underline-offset: .15em; }
:where(.quill) :focus-visible { outline: 3px solid var(--quill-live); outline-offset: 2px; }
.quill:focus { outline: none; }
.quill-unseen { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); white-space: nowrap; }
:where(.quill) h1 { font-size: 1.7rem; line-height: 1.2; margin: .25rem 0 .5rem; overflow-wrap: anywhere; }
:where(.quill) h2 { font-size: 1.15rem; margin: 0 0 .25rem; }
.quill-back { font-size: .95rem; display: flex; flex-wrap: wrap; gap: .25rem 2rem; }
.quill-back > a::before { content: "← "; }
[dir=rtl] .quill-back > a::before { content: "→ "; }
.quill-neighbours { display: flex; gap: 1rem; }
[dir=rtl] input.quill-figure { direction: ltr; text-align: end; }
dl.quill-key { display: flex; gap: 0 1.5rem; flex-wrap: wrap; margin: 0 0 1rem; color: var(--quill-soft); }
dl.quill-key div { display: flex; gap: .5rem; }
dl.quill-key dd { margin: 0; color: var(--quill-ink); font-family: "Fira Mono", ui-monospace, "DejaVu Sans Mono", monospace; overflow-wrap: anywhere; }
.quill-sheet { max-width: 38rem; display: grid; grid-template-columns: minmax(0, 1fr); gap: 1.1rem; }
.quill-group { border: 0; border-top: 1px solid var(--quill-rule); margin: 0; padding: .6rem 0 0; min-width: 0; display: grid; grid-template-columns: inherit; gap: inherit; }
.quill-group legend { padding: 0 .6rem 0 0; color: var(--quill-soft); }
.quill-field { display: grid; grid-template-columns: minmax(0, 1fr); gap: .2rem; align-content: start; }
.quill-field label, .quill-field .quill-label { font-weight: 700; }
.quill-needed::after { content: " *"; content: " *" / ""; color: var(--quill-soft); font-weight: 400; }
.quill-help { margin: 0; color: var(--quill-soft); }
.quill-developer { border: 1px dashed var(--quill-control); padding: .75rem 1rem; margin-top: 2rem; }
.quill-developer pre { white-space: pre-wrap; overflow-wrap: anywhere; font-size: .85rem; }
.quill-keys { margin: 2.5rem 0 0; color: var(--quill-soft); font-size: .9rem; }
:where(.quill) h1:focus, :where(.quill) h2:focus { outline: none; }
p.quill-number { margin: 3rem 0 0; color: var(--quill-soft); font-size: .9rem; }
.quill-control { display: flex; gap: .6rem; align-items: baseline; }
.quill-control.quill-box { align-items: center; }
fieldset.quill-field { border: 0; margin: 0; padding: 0; min-width: 0; }
fieldset.quill-field > legend { font-weight: 700; padding: 0; }
.quill-options { display: flex; flex-wrap: wrap; gap: .25rem 1.25rem; }
.quill-option { display: flex; gap: .4rem; align-items: center; }
.quill-option label { font-weight: 400; }
.quill-option input { width: 1.2rem; height: 1.2rem; accent-color: var(--quill-live); margin: 0; }
.quill-end { display: flex; gap: .5rem; align-items: baseline; }
.quill-end label { font-weight: 400; color: var(--quill-soft); white-space: nowrap; }
.quill-unit { color: var(--quill-soft); }
:where(.quill) input, :where(.quill) select, :where(.quill) textarea, :where(.quill) button { font: inherit; font-variant-numeric: inherit; color: inherit; }
:where(.quill) input:not([type=checkbox]):not([type=radio]), :where(.quill) select, :where(.quill) textarea { background: var(--quill-raised); border: 1px solid var(--quill-control); border-radius: 0; padding: .35rem .5rem; min-width: 0; max-width: 100%; }
.quill-sheet input:not([type=checkbox]):not([type=radio]):not(.quill-figure):not([type=date]):not([type=datetime-local]), :where(.quill) textarea { width: 100%; }
:where(.quill) select, :where(.quill) button { min-height: 2.35rem; }
:where(.quill) select[data-choices] { min-width: 14rem; }
:where(.quill) input[type=checkbox] { width: 1.35rem; height: 1.35rem; accent-color: var(--quill-live); margin: 0; }
input.quill-figure { width: 10rem; }
.quill-figure, .quill-value { font-variant-numeric: lining-nums tabular-nums; }
input.quill-figure, textarea.quill-code, .quill-fixed .quill-value { font-family: "Fira Mono", ui-monospace, "DejaVu Sans Mono", monospace; font-size: .95em; }
.quill-fixed .quill-value { white-space: pre-wrap; overflow-wrap: anywhere; }
:where(.quill) textarea { resize: vertical; min-height: 5rem; }
.quill-problem::before { content: "✕ "; }
.quill-wrong input:not([type=checkbox]):not([type=radio]), .quill-wrong select, .quill-wrong textarea { border-color: var(--quill-refuse); border-width: 2px; }
.quill-problem { margin: 0; color: var(--quill-refuse); font-weight: 700; }
.quill-conflict { margin: 0; color: var(--quill-draft); }
.quill-replaced { margin: 0; color: var(--quill-soft); }
.quill-replaced::before { content: "± "; color: var(--quill-draft); font-weight: 700; white-space: pre; }
.quill-replaced button, .quill-conflict button { min-height: 1.75rem; padding: 0 .6rem; font-weight: 400; }
.quill-conflict q, .quill-replaced q, dl.quill-typed dd { font-family: "Fira Mono", ui-monospace, "DejaVu Sans Mono", monospace; font-size: .95em; white-space: pre-wrap; overflow-wrap: anywhere; }
th .quill-typed { font-weight: 400; }
.quill-summary { border: solid var(--quill-refuse); border-width: 2px 0; padding: .6rem 0; margin: 0 0 1.25rem; max-width: 38rem; }
.quill-summary h2 { color: var(--quill-refuse); }
.quill-summary h2::before { content: "✕ "; }
.quill-summary > p:only-child::before { content: "✕ "; color: var(--quill-refuse); font-weight: 700; }
.quill-summary ul { margin: 0 0 .5rem; padding-inline-start: 1.2rem; }
.quill-summary a { color: var(--quill-refuse); }
.quill-summary.quill-asking { border-color: var(--quill-draft); }
.quill-summary.quill-asking h2, .quill-summary.quill-asking a { color: var(--quill-draft); }
.quill-summary.quill-asking h2::before { content: "? "; }
:where(.quill) form + h2 { margin-top: 1.5rem; }
.quill-summary p { margin: 0; }
.quill-said, .quill-locked { border: solid var(--quill-live); border-width: 1px 0; padding: .4rem 0; margin: 0 0 1rem; max-width: 38rem; overflow-wrap: anywhere; }
.quill-said::before { content: "✓ "; color: var(--quill-live); font-weight: 700; }
.quill-locked { border-color: var(--quill-draft); }
.quill-locked::before { content: "⊘ "; color: var(--quill-draft); font-weight: 700; }
.quill-sheet.quill-reading { gap: .35rem; }
.quill-reading .quill-field { grid-template-columns: 11rem minmax(0, 1fr); gap: 0 1rem; align-items: baseline; border-bottom: 1px solid var(--quill-rule); padding-bottom: .3rem; }
.quill-reading .quill-label { font-weight: 400; color: var(--quill-soft); overflow-wrap: anywhere; }
.quill-reading .quill-help { display: none; }
.quill-going { margin-top: 1.75rem; }
@media (max-width: 34rem) { .quill-end label { min-width: 4.5rem; } }
@media (max-width: 34rem) { .quill-reading .quill-field { grid-template-columns: minmax(0, 1fr); } }
.quill-actions { max-width: 38rem; display: flex; flex-wrap: wrap; gap: .5rem 1.25rem; align-items: center; margin: .5rem 0 0; }
:where(.quill) button { background: var(--quill-live); color: var(--quill-paper); border: 1px solid var(--quill-live); border-radius: 0; padding: .4rem 1.1rem; font-weight: 700; cursor: pointer; }
.quill-choice-search { margin-top: .3rem; display: flex; flex-wrap: wrap; gap: .4rem .6rem; align-items: center; }
.quill-choice-search input[type=search] { width: 14rem !important; }
button.quill-minor, form.quill-search button, form.quill-go button, .quill-rows td.quill-way button { background: none; color: var(--quill-live); }
.quill-found { margin: 0; color: var(--quill-soft); flex-basis: 100%; overflow-wrap: anywhere; }
button.quill-refusing { background: var(--quill-refuse); border-color: var(--quill-refuse); }
.quill-actions .quill-removal { margin-inline-start: auto; color: var(--quill-refuse); }
.quill-actions a.quill-main { font-weight: 700; }
.quill-dependents { max-width: 38rem; margin: .75rem 0; }
.quill-dependents ul { margin: 0; padding: 0; list-style: none; }
.quill-dependents li { padding: .15rem 0; }
.quill-dependents li.quill-goes::before { content: "✕ "; color: var(--quill-refuse); font-weight: 700; }
.quill-dependents li.quill-keeps::before { content: "⊘ "; color: var(--quill-draft); font-weight: 700; }
.quill-dependents li.quill-loses::before { content: "– "; color: var(--quill-draft); font-weight: 700; }
a.quill-record { color: inherit; text-decoration-color: var(--quill-control); }
a.quill-make { margin-inline-start: auto; font-weight: 700; }
.quill-picked { position: relative; width: 100%; }
.quill-picked [role=listbox] { position: absolute; z-index: 1; inset-inline: 0; top: 100%; margin: 0; padding: .2rem 0; max-height: 16rem; overflow-y: auto; list-style: none; background: var(--quill-raised); border: 1px solid var(--quill-control); }
.quill-picked [role=option] { padding: .25rem .5rem; cursor: pointer; overflow-wrap: anywhere; }
.quill-picked [role=option][aria-selected=true] { background: var(--quill-live-ground); text-decoration: underline; }
button.quill-plain { min-height: 0; background: none; border: 0; color: var(--quill-live); padding: 0; font-weight: 400; text-decoration: underline; text-underline-offset: .15em; }
.quill-ways { display: flex; flex-wrap: wrap; gap: .6rem 2rem; align-items: start; margin: 0 0 1rem; }
.quill-ways a.quill-make { padding-top: .4rem; }
form.quill-search, form.quill-go { display: flex; flex-wrap: wrap; gap: .6rem; align-items: center; margin: 0; min-width: 0; }
form.quill-go input { width: 9rem; }
form.quill-go .quill-problem { width: 0; min-width: 100%; margin: 0; }
.quill-introduction { max-width: 44rem; color: var(--quill-soft); margin: 0 0 .75rem; }
.quill-count, .quill-looked { color: var(--quill-soft); margin: 0 0 .3rem; }
.quill-looked { margin-block-start: .6rem; }
th .quill-order { padding-inline-start: .3rem; color: var(--quill-live); }
/* Texts that are unseen lie outside of the flow: placed within what scrolls, they make no page wider. */
.quill-scroll { overflow-x: auto; position: relative; }
:where(.quill) table { border-collapse: collapse; width: 100%; }
:where(.quill) th, :where(.quill) td { text-align: start; padding: .35rem 0; padding-inline-end: 1rem; border-bottom: 1px solid var(--quill-rule); vertical-align: baseline; }
:where(.quill) thead th { color: var(--quill-soft); font-weight: 400; border-bottom-color: var(--quill-control); white-space: nowrap; }
td.quill-figure, th.quill-figure { text-align: end; }
:where(.quill) tbody th { font-weight: 700; white-space: nowrap; }
td.quill-way { text-align: end; padding-inline-end: 0; }
tr.quill-saved { background: var(--quill-live-ground); }
.quill-mark { font-weight: 400; color: var(--quill-live); }
.quill-about { display: flex; flex-wrap: wrap; gap: 0 1.25rem; align-items: baseline; margin: .25rem 0 .5rem; color: var(--quill-soft); }
.quill-about p { margin: 0; }
.quill-filters { flex-basis: 100%; min-width: 0; }
.quill-filters summary { cursor: pointer; color: var(--quill-live); width: fit-content; }
.quill-filter-fields { display: flex; flex-wrap: wrap; gap: .6rem 1.5rem; align-items: end; padding: .5rem 0 .75rem; border-bottom: 1px solid var(--quill-rule); }
.quill-filter { display: flex; flex-wrap: wrap; gap: .2rem .5rem; align-items: baseline; border: 0; margin: 0; padding: 0; min-width: 0; max-width: 100%; }
.quill-filter legend { padding: 0; font-weight: 700; }
.quill-filter > label:first-child { flex-basis: 100%; font-weight: 700; }
.quill-filter .quill-problem { flex-basis: 100%; }
.quill-filter input.quill-figure { width: 7rem; }
.quill-rows td.quill-way { white-space: nowrap; }
.quill-rows td.quill-way .quill-problem { white-space: normal; }
.quill-rows td .quill-field, .quill-rows th .quill-field { gap: .1rem; font-weight: 400; }
.quill-rows td.quill-figure .quill-control { justify-content: end; }
.quill-rows td input:not([type=checkbox]):not(.quill-figure), .quill-rows th input:not([type=checkbox]):not(.quill-figure) { width: 100%; min-width: 8rem; }
.quill-rows input.quill-figure { width: 7rem; }
.quill-rows td.quill-way button + a { margin-inline-start: .75rem; }
tr.quill-chosen { background: var(--quill-live-ground); }
tr.quill-chosen a.quill-record::before { content: "▸ "; }
[dir=rtl] tr.quill-chosen a.quill-record::before { content: "◂ "; }
.quill-content:has(.quill-beside) { max-width: 86rem; }
.quill-beside { display: grid; grid-template-columns: minmax(0, 3fr) minmax(20rem, 2fr); gap: 0 2.5rem; align-items: start; }
.quill-beside > .quill-beside-form { order: 1; }
.quill-beside-form { border-inline-start: 1px solid var(--quill-rule); padding-inline-start: 2rem; }
.quill-beside .quill-search input { max-width: 11rem; }
.quill-beside tbody th { white-space: normal; overflow-wrap: anywhere; }
@media (max-width: 60rem) {
  .quill-beside { grid-template-columns: minmax(0, 1fr); }
  .quill-beside-form { border: 0; border-top: 1px solid var(--quill-control); padding: 1rem 0 0; margin-top: 1.5rem; }
  .quill-of-record > .quill-beside-form { order: -1; margin: 0 0 1.5rem; }
}
.quill-related { margin-top: 2rem; }
.quill-related h2, .quill-history h2 { font-size: 1.15rem; }
ol.quill-history { list-style: none; padding: 0; display: grid; gap: 1.5rem; }
/* Thousands of rows of a file: what is not seen is not laid out, and nothing counts them, which takes a browser long where some are hidden. */
.quill-sending progress { accent-color: var(--quill-live); vertical-align: middle; }
[data-rows] > ol.quill-history { display: block; }
[data-rows] > ol.quill-history > li { display: block; content-visibility: auto; contain-intrinsic-size: auto 9rem; padding-block-end: 1.5rem; }
[data-rows] > ol.quill-history > li[hidden] { display: none; }
ol.quill-history table { max-width: 46rem; }
ol.quill-history td, ol.quill-history th { white-space: pre-wrap; overflow-wrap: anywhere; }
ol.quill-history tbody th { font-weight: 400; color: var(--quill-soft); width: 12rem; }
ol.quill-history p { margin: .3rem 0; }
ol.quill-history h3 { margin: 0 0 .3rem; font-size: 1rem; }
ol.quill-history fieldset { border: 0; padding: 0; margin: .3rem 0 0; }
.quill-actions ~ section { margin-top: 1.75rem; }
.quill-parts { display: flex; flex-wrap: wrap; gap: 1.25rem; margin-top: 1rem; }
/* Where a table would not fit, each row is a block: its values below each other, and the way in with them. */
@media (max-width: 40rem) {
  .quill-scroll thead tr { display: flex; flex-wrap: wrap; gap: 0 1rem; border-bottom: 1px solid var(--quill-control); }
  .quill-scroll thead th { border: 0; padding: .1rem 0; }
  .quill-scroll thead th:not(:has(a)) { display: none; }
  .quill-scroll table, .quill-scroll thead, .quill-scroll tbody, .quill-scroll tbody tr, .quill-scroll th, .quill-scroll td { display: block; }
  .quill-scroll tbody tr { border-bottom: 1px solid var(--quill-control); padding: .5rem 0; }
  .quill-scroll tbody th, .quill-scroll tbody td { border: 0; padding: .1rem 0; white-space: normal; text-align: start; overflow-wrap: anywhere; }
  .quill-scroll td[data-label]::before { content: attr(data-label) ": "; color: var(--quill-soft); }
  .quill-scroll td.quill-way { padding-top: .3rem; }
  .quill-rows td.quill-figure .quill-control { justify-content: start; }
}
/* On paper stands what is known; what leads elsewhere or is to be pressed does not. */
@media print {
  .quill-document { color-scheme: light; }
  :root { --quill-paper: #fff; --quill-raised: #fff; --quill-ink: #000; --quill-soft: #333; --quill-rule: #999; --quill-control: #999; --quill-live: #000; --quill-live-ground: #fff; --quill-refuse: #000; --quill-draft: #000; }
  .quill-skip, .quill-person, .quill-ways, .quill-about .quill-csv, .quill-parts, nav.quill-back, .quill-actions, .quill-related .quill-actions, td.quill-way, th:last-child:has(.quill-unseen), :where(.quill) button, .quill-choice-search { display: none !important; }
  .quill-content { max-width: none; padding: 0; }
  :where(.quill) a { color: inherit; text-decoration: none; }
  :where(.quill) input, :where(.quill) select, :where(.quill) textarea { border: 0 !important; padding: 0 !important; background: none !important; appearance: none; }
  :where(.quill) tr, .quill-field, ol.quill-history > li { break-inside: avoid; }
  :where(.quill) thead { display: table-header-group; }
}
.quill-narrow { max-width: 24rem; }
.quill-account .quill-hint { margin: .3rem 0 0; color: var(--quill-soft); }
.quill-account h2 { margin-top: 1.75rem; }
.quill-account .quill-sheet, .quill-account .quill-sheet input { max-width: 24rem; }
ul.quill-sessions { list-style: none; margin: 0; padding: 0; max-width: 46rem; border-top: 1px solid var(--quill-rule); }
ul.quill-sessions li { display: flex; gap: 1.25rem; justify-content: space-between; align-items: baseline; padding: .5rem 0; border-bottom: 1px solid var(--quill-rule); }
ul.quill-sessions p { margin: 0; overflow-wrap: anywhere; }
ul.quill-sessions span { color: var(--quill-soft); }
ul.quill-codes { columns: 12rem 2; max-width: 30rem; padding-inline-start: 1.2rem; }
ul.quill-pages { list-style: none; padding: 0; }
ul.quill-pages li { border-bottom: 1px solid var(--quill-rule); padding: .6rem 0; }
ul.quill-pages a { font-weight: 700; }
ul.quill-pages p { margin: 0; color: var(--quill-soft); }
`;
