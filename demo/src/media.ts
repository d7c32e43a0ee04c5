import { readFileSync } from 'node:fs';
import { makeManifest, makeZip } from 'nudrik';

const asset = (name: string): Buffer => readFileSync(new URL(`../../demo/assets/${name}`, import.meta.url));

/** A film of 24 seconds, and its captions. */
export const MUSTER_SECONDS = 24;
export const musterFilm = (): Buffer => asset('muster.mp4');
export const musterCaptions = (): Buffer => asset('muster.en.vtt');

const PAGES = [
  ['Somebody is over the side', 'You see it. What comes first?', ['Shout “man overboard”, throw a ring, and keep pointing', 'Run to the bridge and tell them', 'Put on a life-jacket and jump after'], 0], // prettier-ignore
  ['The ring is in the water', 'Who keeps an eye on them?', ['Whoever has time', 'One person who does nothing else', 'The master, by the camera'], 1],
  ['The boat is lowered', 'How many are in it?', ['As many as want to help', 'Two at the least, in life-jackets and with the radio on', 'One, to save the weight'], 1],
] as const; // prettier-ignore

const STYLE = 'body{font:17px/1.5 sans-serif;margin:0;padding:24px;color:#1e2430;background:#fbf8f3}h1{font-size:22px;margin:0 0 8px}button{display:block;width:100%;max-width:520px;text-align:left;font:inherit;padding:10px 14px;margin:8px 0;border:1px solid #b9b0a1;background:#fff;cursor:pointer}button:hover{border-color:#6c2a5e}.said{min-height:28px;color:#a93a24}.bar{height:6px;background:#ddd6ca;max-width:520px}.bar div{height:6px;background:#6c2a5e}'; // prettier-ignore

const SCRIPT = `
var pages = ${JSON.stringify(PAGES)};
function find(win) { var n = 0; while (!win.API && win.parent && win.parent !== win && n++ < 10) win = win.parent; return win.API || null; }
var api = find(window), at = 0, wrong = 0;
api.LMSInitialize('');
var kept = api.LMSGetValue('cmi.suspend_data');
if (kept) { at = JSON.parse(kept).at; wrong = JSON.parse(kept).wrong; }
if (api.LMSGetValue('cmi.core.lesson_status') === 'not attempted') api.LMSSetValue('cmi.core.lesson_status', 'incomplete');
function keep() { api.LMSSetValue('cmi.core.lesson_location', String(at)); api.LMSSetValue('cmi.suspend_data', JSON.stringify({ at: at, wrong: wrong })); api.LMSCommit(''); }
function show() {
  document.getElementById('done').style.width = (at / pages.length * 100) + '%';
  var page = pages[at], box = document.getElementById('answers');
  box.innerHTML = '';
  if (!page) {
    document.getElementById('title').textContent = 'You brought them back';
    document.getElementById('asked').textContent = wrong ? 'With ' + wrong + (wrong === 1 ? ' wrong turn.' : ' wrong turns.') : 'Without a wrong turn.';
    api.LMSSetValue('cmi.core.score.raw', String(Math.max(0, Math.round(100 - wrong * 100 / 6))));
    api.LMSSetValue('cmi.core.lesson_status', 'completed');
    keep();
    return;
  }
  document.getElementById('title').textContent = page[0];
  document.getElementById('asked').textContent = page[1];
  page[2].forEach(function (words, i) {
    var button = document.createElement('button');
    button.textContent = words;
    button.onclick = function () {
      var isRight = i === page[3];
      document.getElementById('said').textContent = isRight ? '' : 'No. Think of who is in the water, and try again.';
      if (isRight) at++; else wrong++;
      keep();
      if (isRight) show();
    };
    box.appendChild(button);
  });
}
show();
window.onbeforeunload = function () { api.LMSFinish(''); };
`;

/** A small package of our own, SCORM 1.2: three decisions when somebody is over the side. */
export const overboardPackage = (): Buffer =>
  makeZip({
    'imsmanifest.xml': makeManifest('1.2', 'index.html', 'Man overboard'),
    'index.html': `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Man overboard</title><link rel="stylesheet" href="style.css"></head><body><div class="bar"><div id="done"></div></div><h1 id="title"></h1><p id="asked"></p><div id="answers"></div><p id="said" class="said" role="status"></p><script src="drill.js"></script></body></html>`,
    'style.css': STYLE,
    'drill.js': SCRIPT,
  });
