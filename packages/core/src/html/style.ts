/** The style sheet of the served pages: one file, nothing fetched, both colour schemes, readable without it. */
export const styleSheet = `:root {
  color-scheme: light dark;
  --paper: #f7f9f9; --raised: #ffffff; --ink: #1b2a3d; --soft: #4c5b6c; --rule: #c3ccd3; --control: #75828f;
  --live: #14655c; --live-ground: #e3efec; --refuse: #b0301c; --draft: #7a5200;
}
@media (prefers-color-scheme: dark) {
  :root {
    --paper: #1a2129; --raised: #212a33; --ink: #e3e9ee; --soft: #a9b6c2; --rule: #3c4955; --control: #8494a2;
    --live: #72c6b7; --live-ground: #1c3835; --refuse: #ff9b87; --draft: #e0b565;
  }
}
* { box-sizing: border-box; }
html { font: 1rem/1.5 "Alegreya Sans", "Gill Sans", Candara, Optima, "Noto Sans", system-ui, sans-serif; background: var(--paper); color: var(--ink); font-variant-numeric: lining-nums; }
body { margin: 0; min-height: 100vh; }
a { color: var(--live); text-underline-offset: .15em; }
:focus-visible { outline: 3px solid var(--live); outline-offset: 2px; }
main:focus { outline: none; }
.skip { position: absolute; left: -999px; }
.skip:focus { inset-inline-start: 1rem; top: .5rem; background: var(--raised); padding: .25rem .5rem; z-index: 1; }
.unseen { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); white-space: nowrap; }
header { display: flex; flex-wrap: wrap; justify-content: space-between; gap: .5rem 2rem; padding: .6rem 1.5rem; border-bottom: 1px solid var(--rule); }
header .home { color: var(--ink); font-weight: 700; text-decoration: none; }
header .home:hover { text-decoration: underline; }
.person, .person form { display: flex; gap: 1rem; align-items: baseline; color: var(--soft); }
main { max-width: 62rem; margin: 0 auto; padding: 1.25rem 1.5rem 4rem; }
h1 { font-size: 1.7rem; line-height: 1.2; margin: .25rem 0 .5rem; overflow-wrap: anywhere; }
h2 { font-size: 1.15rem; margin: 0 0 .25rem; }
.back { font-size: .95rem; display: flex; flex-wrap: wrap; gap: .25rem 2rem; }
.back > a::before { content: "← "; }
[dir=rtl] .back > a::before { content: "→ "; }
.neighbours { display: flex; gap: 1rem; }
[dir=rtl] input.figure { direction: ltr; text-align: end; }
dl.key { display: flex; gap: 0 1.5rem; flex-wrap: wrap; margin: 0 0 1rem; color: var(--soft); }
dl.key div { display: flex; gap: .5rem; }
dl.key dd { margin: 0; color: var(--ink); font-family: "Fira Mono", ui-monospace, "DejaVu Sans Mono", monospace; overflow-wrap: anywhere; }
.sheet { max-width: 38rem; display: grid; gap: 1.1rem; }
.group { border: 0; border-top: 1px solid var(--rule); margin: 0; padding: .6rem 0 0; min-width: 0; display: grid; gap: inherit; }
.group legend { padding: 0 .6rem 0 0; color: var(--soft); }
.field { display: grid; gap: .2rem; align-content: start; }
.field label, .field .label { font-weight: 700; }
.help { margin: 0; color: var(--soft); }
p.number { margin: 3rem 0 0; color: var(--soft); font-size: .9rem; }
.control { display: flex; gap: .6rem; align-items: baseline; }
.control.box { align-items: center; }
fieldset.field { border: 0; margin: 0; padding: 0; min-width: 0; }
fieldset.field > legend { font-weight: 700; padding: 0; }
.options { display: flex; flex-wrap: wrap; gap: .25rem 1.25rem; }
.option { display: flex; gap: .4rem; align-items: center; }
.option label { font-weight: 400; }
.option input { width: 1.2rem; height: 1.2rem; accent-color: var(--live); margin: 0; }
.unit { color: var(--soft); }
input, select, textarea, button { font: inherit; font-variant-numeric: inherit; color: inherit; }
input:not([type=checkbox]):not([type=radio]), select, textarea { background: var(--raised); border: 1px solid var(--control); border-radius: 0; padding: .35rem .5rem; max-width: 100%; }
.sheet input:not([type=checkbox]):not([type=radio]):not(.figure):not([type=date]):not([type=datetime-local]), textarea { width: 100%; }
select, button { min-height: 2.35rem; }
select[data-choices] { min-width: 14rem; }
input[type=checkbox] { width: 1.35rem; height: 1.35rem; accent-color: var(--live); margin: 0; }
input.figure { width: 10rem; }
.figure, .value { font-variant-numeric: lining-nums tabular-nums; }
input.figure, textarea.code, .fixed .value { font-family: "Fira Mono", ui-monospace, "DejaVu Sans Mono", monospace; font-size: .95em; }
.fixed .value { white-space: pre-wrap; overflow-wrap: anywhere; }
textarea { resize: vertical; min-height: 5rem; }
.problem::before { content: "✕ "; }
.wrong input, .wrong select, .wrong textarea { border-color: var(--refuse); border-width: 2px; }
.problem { margin: 0; color: var(--refuse); font-weight: 700; }
.conflict { margin: 0; color: var(--draft); }
.replaced { margin: 0; color: var(--soft); }
.replaced::before { content: "± "; color: var(--draft); font-weight: 700; white-space: pre; }
.replaced button, .conflict button { min-height: 1.75rem; padding: 0 .6rem; font-weight: 400; }
.conflict q, .replaced q, dl.typed dd { font-family: "Fira Mono", ui-monospace, "DejaVu Sans Mono", monospace; font-size: .95em; white-space: pre-wrap; overflow-wrap: anywhere; }
.summary { border: solid var(--refuse); border-width: 2px 0; padding: .6rem 0; margin: 0 0 1.25rem; max-width: 38rem; }
.summary h2 { color: var(--refuse); }
.summary h2::before { content: "✕ "; }
.summary > p:only-child::before { content: "✕ "; color: var(--refuse); font-weight: 700; }
.summary ul { margin: 0 0 .5rem; padding-inline-start: 1.2rem; }
.summary a { color: var(--refuse); }
.summary.asking { border-color: var(--draft); }
.summary.asking h2, .summary.asking a { color: var(--draft); }
.summary.asking h2::before { content: "? "; }
form + h2 { margin-top: 1.5rem; }
.summary p { margin: 0; }
.said, .locked { border: solid var(--live); border-width: 1px 0; padding: .4rem 0; margin: 0 0 1rem; max-width: 38rem; overflow-wrap: anywhere; }
.said::before { content: "✓ "; color: var(--live); font-weight: 700; }
.locked { border-color: var(--draft); }
.locked::before { content: "⊘ "; color: var(--draft); font-weight: 700; }
.sheet.reading { gap: .35rem; }
.reading .field { grid-template-columns: 11rem 1fr; gap: 0 1rem; align-items: baseline; border-bottom: 1px solid var(--rule); padding-bottom: .3rem; }
.reading .label { font-weight: 400; color: var(--soft); overflow-wrap: anywhere; }
.reading .help { display: none; }
.going { margin-top: 1.75rem; }
@media (max-width: 34rem) { .reading .field { grid-template-columns: 1fr; } }
.actions { max-width: 38rem; display: flex; gap: 1.25rem; align-items: center; margin: .5rem 0 0; }
button { background: var(--live); color: var(--paper); border: 1px solid var(--live); border-radius: 0; padding: .4rem 1.1rem; font-weight: 700; cursor: pointer; }
.choice-search { margin-top: .3rem; display: flex; flex-wrap: wrap; gap: .4rem .6rem; align-items: center; }
.choice-search input[type=search] { width: 14rem !important; }
button.minor, form.search button, form.go button, .rows td.way button { background: none; color: var(--live); }
.found { margin: 0; color: var(--soft); flex-basis: 100%; }
button.refusing { background: var(--refuse); border-color: var(--refuse); }
.actions .removal { margin-inline-start: auto; color: var(--refuse); }
.actions a.main { font-weight: 700; }
.dependents { max-width: 38rem; margin: .75rem 0; }
.dependents ul { margin: 0; padding: 0; list-style: none; }
.dependents li { padding: .15rem 0; }
.dependents li.goes::before { content: "✕ "; color: var(--refuse); font-weight: 700; }
.dependents li.keeps::before { content: "⊘ "; color: var(--draft); font-weight: 700; }
.dependents li.loses::before { content: "– "; color: var(--draft); font-weight: 700; }
a.record { color: inherit; text-decoration-color: var(--control); }
a.make { margin-inline-start: auto; font-weight: 700; }
.picked { position: relative; width: 100%; }
.picked [role=listbox] { position: absolute; z-index: 1; inset-inline: 0; top: 100%; margin: 0; padding: .2rem 0; max-height: 16rem; overflow-y: auto; list-style: none; background: var(--raised); border: 1px solid var(--control); }
.picked [role=option] { padding: .25rem .5rem; cursor: pointer; overflow-wrap: anywhere; }
.picked [role=option][aria-selected=true] { background: var(--live-ground); text-decoration: underline; }
button.plain { min-height: 0; background: none; border: 0; color: var(--live); padding: 0; font-weight: 400; text-decoration: underline; text-underline-offset: .15em; }
.ways { display: flex; flex-wrap: wrap; gap: .6rem 2rem; align-items: start; margin: 0 0 1rem; }
.ways a.make { padding-top: .4rem; }
form.search, form.go { display: flex; flex-wrap: wrap; gap: .6rem; align-items: center; margin: 0; }
form.go input { width: 9rem; }
form.go .problem { width: 0; min-width: 100%; margin: 0; }
.count { color: var(--soft); margin: 0 0 .3rem; }
th .order { padding-inline-start: .3rem; color: var(--live); }
.scroll { overflow-x: auto; }
table { border-collapse: collapse; width: 100%; }
th, td { text-align: start; padding: .35rem 0; padding-inline-end: 1rem; border-bottom: 1px solid var(--rule); vertical-align: baseline; }
thead th { color: var(--soft); font-weight: 400; border-bottom-color: var(--control); white-space: nowrap; }
td.figure, th.figure { text-align: end; }
tbody th { font-weight: 700; white-space: nowrap; }
td.way { text-align: end; padding-inline-end: 0; }
tr.saved { background: var(--live-ground); }
.mark { font-weight: 400; color: var(--live); }
.about { display: flex; flex-wrap: wrap; gap: 0 1.25rem; align-items: baseline; margin: .25rem 0 .5rem; color: var(--soft); }
.about p { margin: 0; }
.filters { flex-basis: 100%; }
.filters summary { cursor: pointer; color: var(--live); width: fit-content; }
.filter-fields { display: flex; flex-wrap: wrap; gap: .6rem 1.5rem; align-items: end; padding: .5rem 0 .75rem; border-bottom: 1px solid var(--rule); }
.filter { display: flex; flex-wrap: wrap; gap: .2rem .5rem; align-items: baseline; border: 0; margin: 0; padding: 0; min-width: 0; }
.filter legend { padding: 0; font-weight: 700; }
.filter > label:first-child { flex-basis: 100%; font-weight: 700; }
.filter .problem { flex-basis: 100%; }
.filter input.figure { width: 7rem; }
.rows td.way { white-space: nowrap; }
.rows td.way .problem { white-space: normal; }
.rows td .field, .rows th .field { gap: .1rem; font-weight: 400; }
.rows td.figure .control { justify-content: end; }
.rows td input:not([type=checkbox]):not(.figure), .rows th input:not([type=checkbox]):not(.figure) { width: 100%; min-width: 8rem; }
.rows input.figure { width: 7rem; }
.rows td.way button + a { margin-inline-start: .75rem; }
tr.chosen { background: var(--live-ground); }
tr.chosen a.record::before { content: "▸ "; }
[dir=rtl] tr.chosen a.record::before { content: "◂ "; }
main:has(.beside) { max-width: 86rem; }
.beside { display: grid; grid-template-columns: minmax(0, 3fr) minmax(20rem, 2fr); gap: 0 2.5rem; align-items: start; }
.beside-form { border-inline-start: 1px solid var(--rule); padding-inline-start: 2rem; }
.beside .search input { max-width: 11rem; }
.beside tbody th { white-space: normal; overflow-wrap: anywhere; }
@media (max-width: 60rem) {
  .beside { grid-template-columns: minmax(0, 1fr); }
  .beside-form { border: 0; border-top: 1px solid var(--control); padding: 1rem 0 0; margin-top: 1.5rem; }
  .of-record .beside-form { order: -1; margin: 0 0 1.5rem; }
}
.related { margin-top: 2rem; }
.related h2, .history h2 { font-size: 1.15rem; }
ol.history { list-style: none; padding: 0; display: grid; gap: 1.5rem; }
ol.history table { max-width: 46rem; }
ol.history td, ol.history th { white-space: pre-wrap; overflow-wrap: anywhere; }
ol.history tbody th { font-weight: 400; color: var(--soft); width: 12rem; }
ol.history p { margin: .3rem 0; }
.parts { display: flex; flex-wrap: wrap; gap: 1.25rem; margin-top: 1rem; }
/* Where a table would not fit, each row is a block: its values below each other, and the way in with them. */
@media (max-width: 40rem) {
  .scroll thead tr { display: flex; flex-wrap: wrap; gap: 0 1rem; border-bottom: 1px solid var(--control); }
  .scroll thead th { border: 0; padding: .1rem 0; }
  .scroll thead th:not(:has(a)) { display: none; }
  .scroll table, .scroll thead, .scroll tbody, .scroll tbody tr, .scroll th, .scroll td { display: block; }
  .scroll tbody tr { border-bottom: 1px solid var(--control); padding: .5rem 0; }
  .scroll tbody th, .scroll tbody td { border: 0; padding: .1rem 0; white-space: normal; text-align: start; overflow-wrap: anywhere; }
  .scroll td[data-label]::before { content: attr(data-label) ": "; color: var(--soft); }
  .scroll td.way { padding-top: .3rem; }
  .rows td.figure .control { justify-content: start; }
}
/* On paper stands what is known; what leads elsewhere or is to be pressed does not. */
@media print {
  :root { color-scheme: light; --paper: #fff; --raised: #fff; --ink: #000; --soft: #333; --rule: #999; --control: #999; --live: #000; --live-ground: #fff; --refuse: #000; --draft: #000; }
  .skip, header .person, .ways, .about .csv, .parts, nav.back, .actions, .related .actions, td.way, th:last-child:has(.unseen), button, .choice-search { display: none !important; }
  main { max-width: none; padding: 0; }
  a { color: inherit; text-decoration: none; }
  input, select, textarea { border: 0 !important; padding: 0 !important; background: none !important; appearance: none; }
  tr, .field, ol.history > li { break-inside: avoid; }
  thead { display: table-header-group; }
}
.narrow { max-width: 24rem; }
.account .hint { margin: .3rem 0 0; color: var(--soft); }
.account h2 { margin-top: 1.75rem; }
.account .sheet, .account .sheet input { max-width: 24rem; }
ul.sessions { list-style: none; margin: 0; padding: 0; max-width: 46rem; border-top: 1px solid var(--rule); }
ul.sessions li { display: flex; gap: 1.25rem; justify-content: space-between; align-items: baseline; padding: .5rem 0; border-bottom: 1px solid var(--rule); }
ul.sessions p { margin: 0; overflow-wrap: anywhere; }
ul.sessions span { color: var(--soft); }
ul.codes { columns: 12rem 2; max-width: 30rem; padding-inline-start: 1.2rem; }
ul.pages { list-style: none; padding: 0; }
ul.pages li { border-bottom: 1px solid var(--rule); padding: .6rem 0; }
ul.pages a { font-weight: 700; }
ul.pages p { margin: 0; color: var(--soft); }
`;
