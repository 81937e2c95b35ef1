// dictate has what is spoken written where the caret is: in the box on the page, in a
// field of the sheet in words, in a note. One hears oneself in a level and sees words
// come; what was not heard surely is shown with what may be meant instead. The sound is
// kept nowhere, unless one wants it as a voice note.

import { ask } from './net.js';
import { marks } from './marks.js';
import { el, icon } from './paint.js';
import { hearing, KINDS, STEP } from './record.js';
import { at as placeAt, round, sheetOf } from './surface.js';
import { put as putInBox, typing } from './type.js';
import { tell } from './told.js';

const LONGEST = 120000, // milliseconds
  SOON = 2500, // until words are shown while one speaks
  FIELDS = '.writes, [data-margin] textarea, [data-margin] [contenteditable="true"]';

const canDictate = () => !!marks.view.recognises && !!marks.view.edit;
let now = null; // {field, bar, hears, recorder, parts, timer, asking}

// fieldOf gives the field for words that has the focus, null for the box on the page.
const fieldOf = (at) => at?.closest?.(FIELDS);

// begin listens, for the field that has the focus or the box on the page.
async function begin() {
  if (now || !canDictate()) return;
  const field = fieldOf(document.activeElement);
  if (!field && !typing()) return;
  const mine = (now = {
    field,
    bar: bar(),
    hears: null,
    recorder: null,
    parts: [],
    timer: 0,
    asking: false,
    level: el('meter', { min: 0, max: 100, 'aria-label': 'How loud it is' }),
    peaks: [],
    at: placeOf(field),
    keeps: el('input', { type: 'checkbox', className: 'size-5' }),
    words: el('span', { className: 'heard-so-far' }),
  });
  near.hidden = true;
  const hears = await hearing();
  if (now !== mine) return hears.stop();
  if (hears.trouble) return say(hears.trouble, true);
  mine.hears = hears;
  mine.recorder = new MediaRecorder(hears.stream, {
    mimeType: KINDS.find((k) => MediaRecorder.isTypeSupported(k)),
    audioBitsPerSecond: 32000,
  });
  const began = performance.now();
  let asked = began;
  mine.recorder.addEventListener('dataavailable', (e) => {
    if (e.data.size) mine.parts.push(e.data);
    if (now === mine && mine.recorder.state === 'recording' && !mine.asking && performance.now() - asked > SOON) {
      asked = performance.now();
      soFar(mine);
    }
  });
  mine.recorder.start(500);
  mine.timer = setInterval(() => {
    mine.level.value = hears.level();
    mine.peaks.push(mine.level.value);
    if (performance.now() - began > LONGEST) done();
  }, STEP);
  const { instruments } = marks.view,
    notes = mine.at && (!instruments?.length || instruments.includes('voice'));
  show(
    [
      el('b', { role: 'status' }, 'Speak now'),
      mine.level,
      mine.words,
      notes
        ? el(
            'label',
            { className: 'choice', on: { pointerdown: (e) => e.preventDefault() } }, // the field keeps the focus
            mine.keeps,
            'Keep it as a voice note, too',
          )
        : '',
    ],
    [
      ['Write it down', done, 'dark'],
      ['Drop it', drop, 'quiet'],
    ],
  );
  tell('Speak now. F9 writes it down.');
}

const write = (mine) =>
  ask(`/copies/${marks.view.copy}/dictation?layer=${marks.view.edit}`, {
    method: 'POST',
    body: new Blob(mine.parts, { type: mine.recorder.mimeType }),
  });

// placeOf gives the page and the place of what one writes in, null where that is no part
// of a page.
function placeOf(field) {
  if (field) {
    const [page, ...at] = (field.dataset.at ?? '').split(' ').map(Number);
    return page ? { page, at } : null;
  }
  const box = document.querySelector('[data-desk] [contenteditable="true"]'),
    r = box?.getBoundingClientRect(),
    p = r && placeAt({ clientX: r.right, clientY: r.top }, sheetOf(+box.closest('.sheet').dataset.page));
  return p ? { page: p.sheet.number, at: [round(p.x), round(p.y)] } : null;
}

// soFar shows what was heard until now; that it cannot be is told at the end.
async function soFar(mine) {
  mine.asking = true;
  const heard = await write(mine).catch(() => null);
  mine.asking = false;
  if (now === mine && heard?.text) mine.words.textContent = heard.text;
}

// done has all of it written down.
async function done() {
  const mine = now;
  if (!mine?.recorder) return;
  clearInterval(mine.timer);
  if (mine.recorder.state !== 'inactive') {
    const ended = new Promise((ok) => mine.recorder.addEventListener('stop', ok, { once: true }));
    mine.recorder.stop();
    await ended;
    mine.hears.stop();
  }
  show([el('b', { role: 'status' }, 'Writing it down…'), mine.words], [['Drop it', drop, 'quiet']]);
  let heard;
  try {
    heard = await write(mine);
  } catch (e) {
    if (now !== mine) return;
    show(
      [el('span', { role: 'alert' }, `${e.message} What you said is still here.`)],
      [
        ['Try again', done, 'dark'],
        ['Drop it', drop, 'quiet'],
      ],
    );
    return;
  }
  if (now !== mine) return;
  if (!heard.text) return say('No words were heard. Nothing was written.', false);
  const rest = put(mine.field, heard.text);
  tell(`Written: ${heard.text}`);
  if (mine.keeps.checked) {
    const blob = new Blob(mine.parts, { type: mine.recorder.mimeType.split(';')[0] });
    document.dispatchEvent(
      new CustomEvent('keep-spoken', { detail: { ...mine.at, blob, peaks: mine.peaks, text: heard.text } }),
    );
  }
  if (rest) return say(`No more than that goes in here. Not written: “${rest}”`, true);
  const unsure = heard.pieces.filter((p) => p.unsure);
  if (!unsure.length) return end();
  doubts(mine, unsure);
}

// put writes a text where the caret is, as one thing that undo takes back, and gives what
// has no room there: whole words.
function put(field, text) {
  if (!field) {
    putInBox(spaced(before(), text));
    return '';
  }
  field.focus();
  field.dispatchEvent(new CustomEvent('another'));
  const has = field.value?.slice(0, field.selectionStart ?? undefined) ?? '',
    all = spaced(has, field.matches('input') ? text.replaceAll('\n', ' ') : text),
    room =
      field.maxLength > 0
        ? field.maxLength - field.value.length + field.selectionEnd - field.selectionStart
        : all.length,
    fits = all.length <= room ? all : all.slice(0, all.lastIndexOf(' ', room) + 1).trimEnd();
  // The browser's own way keeps its undo, and tells the field's own script.
  if (fits) document.execCommand('insertText', false, fits);
  field.dispatchEvent(new CustomEvent('another'));
  return all.slice(fits.length).trim();
}

// before gives what stands before the caret in the box on the page.
function before() {
  const s = getSelection();
  return s?.focusNode?.nodeType === Node.TEXT_NODE ? s.focusNode.textContent.slice(0, s.focusOffset) : '';
}
const spaced = (has, text) => (has && !/\s$/.test(has) && !/^[.,:;?!\n]/.test(text) ? ` ${text}` : text);

// doubts shows words that were not heard surely, with what may be meant instead.
function doubts(mine, unsure) {
  const rows = unsure.slice(0, 6).map((p) =>
    el(
      'span',
      { className: 'doubt' },
      el('u', {}, p.text),
      ...(p.others ?? []).map((o) =>
        el(
          'button',
          {
            className: 'button',
            'aria-label': `${o} instead of ${p.text}`,
            on: {
              click: (e) => {
                if (exchange(mine.field, p.text, o)) e.currentTarget.parentElement.replaceChildren(el('u', {}, o));
              },
            },
          },
          o,
        ),
      ),
    ),
  );
  show([el('b', { role: 'status' }, 'Not heard surely:'), ...rows], [['Done', end, 'dark']]);
}

// exchange puts a word in the place of the last one that says so.
function exchange(field, was, is) {
  const box = field ?? document.querySelector('[data-desk] [contenteditable="true"]');
  if (!box) return false;
  box.focus();
  if (box.value !== undefined) {
    const at = box.value.lastIndexOf(was);
    if (at < 0) return false;
    box.setSelectionRange(at, at + was.length);
  } else {
    const walk = document.createTreeWalker(box, NodeFilter.SHOW_TEXT);
    let found = /** @type {[Node, number] | null} */ (null);
    while (walk.nextNode()) {
      const at = walk.currentNode.textContent.lastIndexOf(was);
      if (at >= 0) found = [walk.currentNode, at];
    }
    if (!found) return false;
    getSelection()?.setBaseAndExtent(found[0], found[1], found[0], found[1] + was.length);
  }
  document.execCommand('insertText', false, is);
  return true;
}

function drop() {
  now?.recorder?.state === 'recording' && now.recorder.stop();
  end();
}

function end() {
  if (!now) return;
  clearInterval(now.timer);
  now.hears?.stop();
  const { bar: box, field } = now;
  now = null;
  box.remove();
  if (field?.isConnected) field.focus();
  else document.querySelector('[data-desk] [contenteditable="true"]')?.focus();
}

const say = (words, alert) => show([el('span', { role: alert ? 'alert' : 'status' }, words)], [['Close', end, 'dark']]);

function bar() {
  const box = el('div', {
    className: 'reading-bar dictating',
    role: 'group',
    'aria-label': 'Speak what you would type',
  });
  document.body.append(box);
  return box;
}

function show(what, buttons) {
  now.bar.replaceChildren(
    icon('voice'),
    ...what,
    ...buttons.map(([words, run, look]) =>
      // The field keeps the focus, and the keyboard of a telephone stays.
      el('button', { className: `button ${look}`, on: { pointerdown: (e) => e.preventDefault(), click: run } }, words),
    ),
  );
}

// Beside a field that has the focus lies the button that begins.
const near = el(
  'button',
  {
    className: 'speak-here',
    hidden: true,
    'aria-label': 'Speak what you would type (F9)',
    title: 'Speak what you would type (F9)',
    tabIndex: -1, // F9 does the same, and nothing lies between two fields
    on: { pointerdown: (e) => e.preventDefault(), click: () => begin() },
  },
  icon('voice'),
);
document.addEventListener('speak', () => begin()); // the flap of Type asks so
document.body.append(near);

// It lies over the field's end and moves nothing: what moves between the pressing and the
// letting go of a button is not pressed. Beside a short field it lies below.
const SIDE = 44, // CSS pixels, as wide as a finger
  SHORT = 150;
let by = null; // the field that it lies by
function lie() {
  near.hidden = !by?.isConnected || by.readOnly || !!now || document.activeElement !== by;
  if (near.hidden) return;
  const r = by.getBoundingClientRect(),
    inside = r.width >= SHORT,
    high = by.matches('input') && inside ? (r.top + r.bottom - SIDE) / 2 : inside ? r.bottom - SIDE : r.bottom + 2;
  near.style.left = `${Math.max(Math.min(r.right - SIDE, window.innerWidth - SIDE), 0)}px`;
  near.style.top = `${Math.max(Math.min(high, window.innerHeight - SIDE), 0)}px`;
}
document.addEventListener('focusin', (e) => {
  by = canDictate() ? fieldOf(e.target) : null;
  lie();
});
document.addEventListener('focusout', () => setTimeout(lie));
addEventListener('scroll', () => requestAnimationFrame(lie), { capture: true, passive: true });
addEventListener('resize', lie);
for (const e of ['click', 'keyup']) addEventListener(e, () => requestAnimationFrame(lie)); // a field may be gone
document.addEventListener('input', () => requestAnimationFrame(lie)); // a field may grow
document.addEventListener(
  'keydown',
  (e) => {
    if (e.key === 'Escape' && now) {
      e.preventDefault();
      e.stopPropagation();
      drop();
    } else if (e.key === 'F9') {
      e.preventDefault();
      if (now) done();
      else begin();
    }
  },
  true,
);
