/** The pages' style sheet: for both colour schemes. Put your own in its place, or give the routes your layout. */
export const style = `
:root { color-scheme: light dark; --ink: light-dark(#20262b, #e6eaed); --paper: light-dark(#fbfaf8, #191c1f); --soft: light-dark(#565f66, #a7b0b7); --line: light-dark(#8b949b, #7b858d); --accent: light-dark(#1f4f8f, #9cc0f0); --wrong: light-dark(#a3261b, #ff9d8f); --other: light-dark(#6d4b00, #e5bd6c); }
body { margin: 0; background: var(--paper); color: var(--ink); font: 1rem/1.5 system-ui, sans-serif; }
main { max-width: 40rem; margin: 0 auto; padding: 1.5rem; }
h1 { font-size: 1.6rem; line-height: 1.2; overflow-wrap: anywhere; }
a { color: var(--accent); }
form, fieldset { display: grid; gap: 1rem; border: 0; margin: 0; padding: 0; min-width: 0; }
.field label, .field legend, .field .label { display: block; font-weight: 600; }
fieldset.field { display: block; }
fieldset.field label { display: inline; margin-inline: .3rem .8rem; font-weight: 400; }
fieldset.field p { margin: 0 0 .3rem; }
.field input[type=checkbox] + label { display: inline; margin-inline-start: .5rem; }
.needed::after { content: " *" / ""; }
.help, .unit, .found { color: var(--soft); margin: 0; }
input, select, textarea, button { font: inherit; color: inherit; max-width: 100%; }
input:not([type=checkbox], [type=radio]), select, textarea { background: transparent; border: 1px solid var(--line); padding: .35rem .5rem; }
textarea, input[type=text]:not([inputmode]) { width: 100%; box-sizing: border-box; }
button { background: var(--accent); color: var(--paper); border: 0; padding: .5rem 1.2rem; cursor: pointer; }
:focus-visible { outline: 3px solid var(--accent); outline-offset: 2px; }
[aria-invalid] { border-color: var(--wrong) !important; }
.problem, .summary h2, .summary a { color: var(--wrong); }
.problem { margin: 0; font-weight: 600; }
.summary h2 { font-size: 1.1rem; }
.conflict { margin: 0; color: var(--other); }
button.minor { background: none; border: 1px solid var(--accent); color: var(--accent); }
.conflict button { padding: .1rem .6rem; }
.said, .locked { border-block: 1px solid var(--line); padding: .4rem 0; }
.unseen { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); }
`;
