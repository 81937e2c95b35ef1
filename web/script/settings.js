// settings remembers, per person, how each instrument is set and how the
// screen is kept; on this device at once and on the server soon after.

import { ask } from './net.js';

export const INKS = {
  'blue-black': '#1e2a44',
  blue: '#1f4fa3',
  green: '#2d7a3a',
  red: '#c22f20',
  orange: '#ad5207',
  violet: '#7a3fa0',
  brown: '#7a4a21',
  pink: '#b8327a',
  grey: '#6b7280',
  black: '#111111',
};
export const WASHES = {
  yellow: '#ffe27a',
  orange: '#ffc38a',
  pink: '#ffc2d6',
  green: '#bfe3c0',
  blue: '#bfdcf5',
  violet: '#dccbf2',
};

const student = {
  type: { color: INKS['blue-black'], size: 14, font: '', bold: false, italic: false, under: false, fill: '' },
  signs: [],
  highlighter: { color: WASHES.yellow, letters: false },
  pens: [
    { name: 'Circling', color: INKS.blue, width: 2, opacity: 1 },
    { name: 'Fine', color: INKS['blue-black'], width: 1, opacity: 1 },
    { name: 'Broad', color: INKS.green, width: 5, opacity: 1 },
  ],
  pen: 0,
  underline: { color: INKS.blue },
  crossout: { color: INKS.red },
  shape: { kind: 'circle', color: INKS.blue, width: 2, opacity: 1, ends: 'to', heads: 1 },
  stamp: { color: INKS.red, name: 'tick', size: 18 },
  stamps: [],
  snap: false,
  eraser: { parts: false, size: 12 },
  note: { color: '' },
  picture: '',
  place: { write: 'type', mark: 'highlighter', draw: 'pen', say: 'note', mend: 'eraser', pick: 'pick' },
  hand: 'type',
};
const teacher = {
  ...student,
  type: { ...student.type, color: INKS.red },
  pens: [
    { name: 'Circling', color: INKS.red, width: 2, opacity: 1 },
    { name: 'Fine', color: INKS.red, width: 1, opacity: 1 },
    { name: 'Broad', color: INKS.green, width: 5, opacity: 1 },
  ],
  hand: 'pen',
};

const VIEW = {
  left: false,
  plain: false,
  ruler: false,
  keysOff: false,
  night: false,
  unlabelled: false,
  view: '', // 'words' or 'page'; '' until somebody has said
  letters: 0, // steps above or below the usual size in words
  wide: false, // lines as long as the window
  loose: false, // more room between letters, words and lines
  face: '', // 'serif' or 'school'
  paper: '', // 'cream', 'blue' or 'dark'
  speed: 2, // of what is read aloud, from 0 for very slow to 4
  ownVoice: false, // it is read by the voice of the device
  messagesStay: false, // until one closes them
  captions: true, // the words of a talk-through are shown in step with it
};
/** @type {typeof VIEW & typeof student & Record<string, any>} */
export const settings = /** @type {any} */ ({ ...VIEW });
let mine = null,
  role = '',
  timer = 0;

export function begin(view) {
  role = view.teacher ? 'teacher' : 'student';
  waits = `settings ${view.person}`;
  let stored = {};
  try {
    stored = JSON.parse(localStorage.getItem(waits) ?? view.settings) ?? {};
  } catch {
    /* made anew */
  }
  if (localStorage.getItem(waits)) setTimeout(send, REST); // from a time without a line
  mine = { ...VIEW, ...stored };
  const fresh = structuredClone(role === 'teacher' ? teacher : student),
    kept = stored[role] ?? {};
  mine[role] = Object.fromEntries(
    Object.entries(fresh).map(([k, v]) => [
      k,
      v && typeof v === 'object' && !Array.isArray(v) ? { ...v, ...kept[k] } : (kept[k] ?? v),
    ]),
  );
  for (const k of Object.keys(VIEW)) settings[k] = mine[k];
  Object.assign(settings, mine[role]);
  key = (view.teacher ? null : view.key) ?? [];
  const ones = meanings('highlighter');
  if (ones.length && !meaning('highlighter')) mean('highlighter', ones[0]);
}

// key has the meanings of this sheet's colours; some are carried by one kind
// of mark only.
let key = [];
const shapeOf = (name) =>
  ({
    highlighter: 'highlight',
    underline: 'underline',
    shape: { circle: 'circle', square: 'box' }[settings.shape.kind],
  })[name];
export const meanings = (name) => key.filter((m) => !m.shape || m.shape === shapeOf(name));
export const meaning = (name) =>
  meanings(name).find((m) => m.name === settings[name].meaning && m.color === settings[name].color);
export const mean = (name, m) => Object.assign(settings[name], { meaning: m.name, color: m.color });

// keep stores a change of the settings object.
export function keep() {
  if (!mine) return; // a page that has none of them
  for (const k of Object.keys(VIEW)) mine[k] = settings[k];
  for (const k of Object.keys(mine[role])) mine[role][k] = settings[k];
  if (timer) return;
  send();
  timer = setTimeout(() => {
    timer = 0;
    send();
  }, REST);
}

// send stores what is not stored yet: the first change at once, what comes
// soon after it together, and the rest before the page is left.
const REST = 600; // milliseconds
let sent = '',
  waits = ''; // under which this device keeps what the server has not got yet
function send() {
  const now = mine && JSON.stringify(mine);
  if (!now || now === sent) return;
  sent = now;
  try {
    localStorage.setItem(waits, now);
  } catch {
    /* then it is the server's alone */
  }
  ask('/settings', { method: 'POST', json: mine, keepalive: true })
    .then(() => {
      if (localStorage.getItem(waits) === now) localStorage.removeItem(waits);
    })
    .catch(() => {
      if (sent === now) sent = '';
    });
}
addEventListener('online', send);
for (const leaving of ['beforeunload', 'pagehide'])
  addEventListener(leaving, () => {
    if (timer) send();
  });

export const pen = () => settings.pens[settings.pen] ?? settings.pens[0];

// look shows the screen as it is kept: plain or not, the rule on which side.
export function look() {
  const screen = document.querySelector('[data-screen]');
  screen.classList.toggle('left', settings.left);
  screen.classList.toggle('plain', settings.plain);
  screen.classList.toggle('reading', settings.ruler);
  screen.classList.toggle('unlabelled', settings.unlabelled);
  document.documentElement.classList.toggle('night', settings.night);
  document.querySelector('[data-do="plain"]').setAttribute('aria-pressed', String(settings.plain));
}
