import escapeHtml from 'escape-html';

const shell = (title: string, script: string, body: string, attributes = '') => `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${title}</title>
<link rel="stylesheet" href="look.css">
<script src="${script}" type="module"></script>
</head>
<body${attributes}>
${body}
</body>
</html>
`;

/** The overview, to be filled by its script. `pages`: the origin of the pages. */
export const overviewShell = (pages: string): string =>
  shell(
    'Preview',
    'overview.js',
    `<header>
<h1><span id="site">Preview</span> <small id="how"></small></h1>
<p><span id="totals" role="status">Checking…</span> <a id="wrong" href="#findings-title"></a> · <a id="front" href="${escapeHtml(pages)}/">Open the site</a> · <a href="looks">Viewports, states, before and after</a></p>
<p id="templates" hidden></p>
<noscript><p>The overview is filled by its script; allow scripts for this address.</p></noscript>
</header>
<pre id="problem" role="alert" hidden></pre>
<form id="tools" class="tools" role="search">
<label>Search <input type="search" id="search" placeholder="page, title, rule, finding"></label>
<span id="verdicts"></span>
<label><input type="checkbox" id="without"> pages without rules</label>
<span id="shown" role="status"></span>
</form>
<section aria-labelledby="map-title"><h2 id="map-title">Map <small>rules against pages; a click says why</small></h2>
<p id="map-tools" class="tools" hidden><label>Pages by <select id="map-groups"><option value="section">section</option><option value="template">template</option></select></label></p>
<div class="map"><canvas id="map" tabindex="0" role="img" hidden></canvas></div>
<p id="map-said" role="status"></p></section>
<div class="columns">
<section aria-labelledby="rules-title">
<h2 id="rules-title">Rules</h2>
<p class="tools"><button type="button" id="all-on">All on</button> <button type="button" id="all-off">All off</button> <small>in this preview only</small></p>
<ul id="rules" class="bare"></ul>
</section>
<section aria-labelledby="pages-title">
<h2 id="pages-title">Pages</h2>
<table><thead><tr><th scope="col">Page</th><th scope="col">What the rules do there</th></tr></thead><tbody id="pages"></tbody></table>
<p><button type="button" id="more" hidden>Show more pages</button></p>
</section>
</div>
<div id="rest"><section aria-labelledby="findings-title"><h2 id="findings-title">Findings</h2><div id="findings"></div><p><button type="button" id="all-findings" hidden></button></p></section></div>
<dialog id="cell" aria-labelledby="cell-title"><h2 id="cell-title"></h2><div id="cell-body"></div><p class="tools"><a id="cell-page">Open the page</a> <button type="button" id="cell-close">Close</button></p></dialog>`,
    ` data-pages="${escapeHtml(pages)}"`,
  );

/** The looks, to be filled by their script. `pages`, `bare`: the origins of the pages with and without the rules. */
export const looksShell = (pages: string, bare: string): string =>
  shell(
    'Looks',
    'looks.js',
    `<header><form id="tools" class="tools" aria-label="How the page is looked at">
<a href="/">All pages</a>
<label>Page <input id="page" list="paths" autocomplete="off"></label><datalist id="paths"></datalist>
<label>Viewport <select id="viewport"></select></label>
<label>Beside it <select id="beside"></select></label>
<label>State <select id="state"></select></label>
<label>Visitor <select id="visitor"></select></label>
<label>Colours <select id="scheme"><option value="">as the viewport says</option><option>light</option><option>dark</option></select></label>
<label><input type="checkbox" id="print"> printed</label>
<fieldset><legend>Rules</legend><label><input type="radio" name="rules" value="on" checked> on</label> <label><input type="radio" name="rules" value="off"> off</label> <label><input type="radio" name="rules" value="both"> both</label></fieldset>
<label id="edge-label" hidden>Edge between off and on <input type="range" id="edge" min="0" max="100" value="50"></label>
</form></header>
<pre id="problem" role="alert" hidden></pre>
<main class="looks"><div id="frames"></div>
<section aria-labelledby="verdicts-title"><h1 id="verdicts-title"></h1><ul id="rules" class="bare"></ul></section></main>`,
    ` class="all" data-pages="${escapeHtml(pages)}" data-bare="${escapeHtml(bare)}"`,
  );

/** The panel, to be filled by its script. `frames`: origins of pages that it may be on. */
export const panelShell = (frames: string[]): string =>
  shell(
    'Local Needle',
    'panel.js',
    `<div id="tab"><button type="button" id="open" aria-expanded="false" title="Local Needle (Alt+Shift+N)">Needle <span id="badge"></span></button></div>
<div id="line" hidden><ul id="around" class="bare" aria-label="Elements around the pointer, a click picks"></ul> <small id="size" role="status"></small> <button type="button" id="below" title="b">Below it</button> <button type="button" id="edge" aria-label="Move this line to the other edge" title="Other edge">↕</button> <button type="button" id="stop" title="Escape">Stop</button></div>
<main id="panel" hidden>
<header class="tools"><h1 id="path" tabindex="-1"></h1><button type="button" id="pick" aria-pressed="false" aria-label="Point at an element" title="Point at an element">Point</button> <button type="button" id="move" aria-label="Move the panel to the next corner" title="Next corner">↻</button> <button type="button" id="dock" aria-pressed="false" aria-label="Dock the panel beside the page" title="Beside the page">◨</button> <button type="button" id="shut" aria-label="Close the panel" title="Close (Escape)">×</button></header>
<pre id="problem" role="alert" hidden></pre>
<p class="tools status" role="status"><span id="said"></span> <span id="undo-words" hidden></span> <button type="button" id="undo" hidden>Undo</button></p>
<p id="drafted-line" class="notice-line"><span id="drafted" hidden></span> <button type="button" id="drop">Drop it</button></p>
<div id="notices"></div>
<div id="picked"></div>
<section aria-labelledby="handles-title"><h2 id="handles-title">Handles of this page <small>a click copies</small></h2>
<ul id="handles" class="bare"></ul></section>
<section aria-labelledby="rules-title"><h2 id="rules-title">Rules on this page</h2>
<p class="tools" id="before-after" hidden><button type="button" id="before" aria-pressed="false">Before</button> <button type="button" id="after" aria-pressed="true">After</button> <small>all rules off, on</small></p>
<ul id="rules" class="bare"></ul></section>
<footer class="tools"><a id="overview" href="/" target="_blank" rel="noopener">All pages</a> <a id="looks" href="/looks" target="_blank" rel="noopener">Viewports, states, before and after</a></footer>
</main>`,
    ` class="panel" data-frames="${escapeHtml(frames.join(' '))}"`,
  );

/** CSS of overview and panel, besides the CSS shared with reports. */
export const previewStyle = `
button { font: inherit; color: var(--ink); background: var(--band); border: 1px solid var(--soft); border-radius: 4px; padding: 2px 10px; cursor: pointer; }
button:hover { border-color: var(--sea); } button[aria-pressed=true] { background: var(--sea); color: var(--paper); border-color: var(--sea); }
a { color: var(--sea); } [hidden] { display: none !important; }
ul.bare { list-style: none; padding: 0; margin: 0; } .tools { display: flex; flex-wrap: wrap; align-items: center; gap: 6px 12px; margin: 0 0 8px; }
#problem { color: var(--bad); border: 1px solid var(--bad); border-radius: 6px; padding: 10px 14px; white-space: pre-wrap; overflow-wrap: anywhere; font-size: 13px; }
.columns { display: grid; grid-template-columns: minmax(250px, 320px) minmax(0, 1fr); gap: 0 40px; }
@media (max-width: 800px) { .columns { grid-template-columns: minmax(0, 1fr); } }
#rules > li { border-top: 1px solid var(--line); padding: 8px 0; } #rules p { margin: 2px 0 0; } #rules .note { color: var(--soft); }
#rules .tools { margin: 0; flex-wrap: nowrap; align-items: baseline; gap: 6px 8px; } #rules .note { font-size: 14px; } #rules .verdict { min-width: 0; }
#rules label { display: flex; gap: 8px; align-items: baseline; } #rules .name { font-weight: bold; overflow-wrap: anywhere; flex: 1; }
#rules button.name { text-align: left; background: none; border: 0; padding: 0; text-decoration: underline; text-decoration-color: var(--line); }
li.out .name { text-decoration: line-through; }
input[type=checkbox], input[type=radio] { accent-color: var(--sea); }
body:not(.panel) #pages tr { border-top: 1px solid var(--line); } #pages td { padding: 6px 16px 6px 0; overflow-wrap: anywhere; } #pages small { display: block; }
table { table-layout: auto; } #pages td:first-child { width: 38%; }
.chip { display: inline-flex; gap: 6px; padding: 0 6px; margin: 1px 4px 1px 0; font-size: 13px; background: none; border-color: var(--line); }
.chip .verdict { border: 0; min-width: 0; padding: 0; } .unsure::after { content: '?'; }
#verdicts { display: flex; flex-wrap: wrap; gap: 4px 14px; } .map { overflow-x: auto; } #map { display: block; cursor: pointer; } #map-said { min-height: 1.5em; color: var(--soft); font-size: 14px; }
dialog { color: inherit; background: var(--paper); border: 1px solid var(--soft); border-radius: 8px; max-width: 720px; width: calc(100% - 40px); max-height: 80vh; overflow: auto; } dialog::backdrop { background: #0008; }
.panel { max-width: none; padding: 0; font-size: 14px; background: none; } .panel h2 { font-size: 14px; margin: 14px 0 6px; } .panel h1 { font: bold 14px ui-monospace, 'DejaVu Sans Mono', monospace; flex: 1; margin: 0; overflow-wrap: anywhere; }
.panel #tab { text-align: right; } .panel #open { background: var(--paper); box-shadow: 0 1px 4px #0006; border-radius: 14px; padding: 2px 12px; }
.panel main { background: var(--paper); border: 1px solid var(--soft); border-radius: 8px; padding: 10px 14px; max-height: 100vh; overflow: auto; }
.panel header.tools { flex-wrap: nowrap; position: sticky; top: -10px; margin: -10px 0 4px; padding: 8px 0; background: var(--paper); } .panel #line:not([hidden]) { display: flex; gap: 8px; align-items: center; height: 44px; padding: 0 10px; background: var(--paper); border: 1px solid var(--soft); border-radius: 8px; white-space: nowrap; } #around { display: flex; flex-direction: row-reverse; justify-content: flex-end; gap: 4px; flex: 1; min-width: 0; overflow: hidden; } #around button { font: 12px ui-monospace, 'DejaVu Sans Mono', monospace; padding: 2px 6px; } #around li:first-child button { font-weight: bold; border-color: var(--sea); } @media (max-width: 600px) { #size { display: none; } #around { justify-content: flex-start; } }
#handles { display: flex; flex-wrap: wrap; gap: 4px 12px; } .panel li > p, .panel .says { font-size: 13px; } 
.copy { max-width: 100%; text-align: left; overflow-wrap: anywhere; font: 13px ui-monospace, 'DejaVu Sans Mono', monospace; }
.notice { border-left: 4px solid var(--odd); background: var(--band); padding: 6px 10px; font-size: 13px; }
.rule-form { display: grid; gap: 8px; border-bottom: 1px solid var(--line); padding-bottom: 12px; } .rule-form label { display: grid; gap: 2px; } .rule-form fieldset { gap: 2px 12px; } .rule-form p { margin: 0; } .rule-form .proposals { display: grid; grid-template-columns: minmax(0, 1fr); gap: 4px; } .proposals legend { float: none; } .proposals small { display: block; padding-left: 22px; } .proposals code { flex: 1; } .rule-form fieldset label, .proposals label { display: flex; gap: 6px; align-items: baseline; }
.rule-form input:not([type=radio]), .rule-form textarea, .rule-form select { font: inherit; color: inherit; background: var(--paper); border: 1px solid var(--soft); border-radius: 4px; padding: 3px 6px; width: 100%; } .rule-form pre { margin: 0; white-space: pre-wrap; overflow-wrap: anywhere; background: var(--band); padding: 8px; border-radius: 4px; font-size: 12px; }
.rule-form label.line { grid-template-columns: 52px minmax(0, 1fr); align-items: baseline; } .rule-form > button { justify-self: start; }
.status:has(#said:empty):has(#undo[hidden]) { display: none; } .rule-form > button[type=submit] { position: sticky; bottom: -10px; } .status { font-size: 13px; color: var(--soft); } .status #said:empty { display: none; } .rule-line { display: flex; gap: 8px; align-items: baseline; } .rule-line label { flex: 1; } .rule-line button, .fix-list button { font-size: 12px; padding: 0 8px; }
.notice-line:has(> [hidden]) { display: none; } .rule-form label.row { display: flex; gap: 6px; align-items: baseline; } .rule-form .own { display: grid; grid-template-columns: auto minmax(0, 1fr); gap: 4px 6px; align-items: baseline; } .own small { grid-column: 2; padding: 0; } .rule-form .row input, .rule-form .own [type=radio] { width: auto; } .rule-form textarea[name=text] { font: 12px ui-monospace, 'DejaVu Sans Mono', monospace; } .proposals > div { display: flex; flex-wrap: wrap; gap: 0 6px; align-items: baseline; } .proposals label { flex: 1; } .proposals > div > small { flex-basis: 100%; }
.all { max-width: none; } .looks { display: grid; grid-template-columns: minmax(0, 1fr) 320px; gap: 24px; align-items: start; } .looks h1 { font: bold 15px ui-monospace, 'DejaVu Sans Mono', monospace; overflow-wrap: anywhere; } #frames { display: flex; gap: 24px; align-items: flex-start; } figure { margin: 0; } figcaption { font-size: 13px; color: var(--soft); } .stage { position: relative; color-scheme: light; overflow: hidden; border: 1px solid var(--soft); background: #fff; box-sizing: content-box; } .stage iframe { position: absolute; inset: 0 auto auto 0; border: 0; transform-origin: 0 0; background: #fff; } .stage::after { content: ''; position: absolute; inset: 0 auto 0 var(--edge); width: 2px; background: #d1242f; pointer-events: none; } @media (max-width: 800px) { #tools:not([hidden]) { position: static; } } @media (max-width: 900px) { .looks { grid-template-columns: minmax(0, 1fr); } }
.all select, .all input:not([type]) { font: inherit; color: inherit; background: var(--paper); border: 1px solid var(--soft); border-radius: 4px; padding: 2px 6px; } #page { width: 220px; } .all #rules p { font-size: 13px; }
.bad { color: var(--bad); } .odd { color: var(--odd); }
`;
