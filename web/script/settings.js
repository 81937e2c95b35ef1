// settings remembers, per person, how each instrument is set and how the
// screen is kept; on this device at once and on the server soon after.

export const INKS = { 'blue-black': '#1e2a44', blue: '#1f4fa3', green: '#2d7a3a', red: '#c22f20', orange: '#c96a12', violet: '#7a3fa0', grey: '#6b7280', black: '#111111' };
export const WASHES = { yellow: '#ffe27a', orange: '#ffc38a', pink: '#ffc2d6', green: '#bfe3c0', blue: '#bfdcf5', violet: '#dccbf2' };

const student = {
  type: { color: INKS['blue-black'], size: 14 },
  highlighter: { color: WASHES.yellow, letters: false },
  pens: [
    { color: INKS.blue, width: 2, opacity: 1 },
    { color: INKS['blue-black'], width: 1, opacity: 1 },
    { color: INKS.green, width: 5, opacity: 1 },
  ],
  pen: 0,
  underline: { color: INKS.blue },
  crossout: { color: INKS.red },
  shape: { kind: 'circle', color: INKS.blue, width: 2, opacity: 1 },
  stamp: { color: INKS.red, name: 'tick' },
  picture: '',
  place: { write: 'type', mark: 'highlighter', draw: 'pen', say: 'note', mend: 'eraser', pick: 'pick' },
  hand: 'type',
};
const teacher = {
  ...student,
  type: { color: INKS.red, size: 14 },
  pens: [
    { color: INKS.red, width: 2, opacity: 1 },
    { color: INKS.red, width: 1, opacity: 1 },
    { color: INKS.green, width: 5, opacity: 1 },
  ],
  hand: 'pen',
};

export const settings = { left: false, plain: false, ruler: false, keysOff: false };
let mine = null, role = '', timer = 0;

export function begin(view) {
  role = view.teacher ? 'teacher' : 'student';
  let stored = {};
  try { stored = JSON.parse(view.settings) ?? {}; } catch { /* made anew */ }
  mine = { left: false, plain: false, ruler: false, keysOff: false, ...stored };
  mine[role] = { ...structuredClone(role === 'teacher' ? teacher : student), ...(stored[role] ?? {}) };
  Object.assign(settings, { left: mine.left, plain: mine.plain, ruler: mine.ruler, keysOff: mine.keysOff });
  Object.assign(settings, mine[role]);
  key = (view.teacher ? null : view.key) ?? [];
  const ones = meanings('highlighter');
  if (ones.length && !meaning('highlighter')) mean('highlighter', ones[0]);
}

// key has the meanings of this sheet's colours; some are carried by one kind
// of mark only.
let key = [];
const shapeOf = (name) => ({ highlighter: 'highlight', underline: 'underline', shape: { circle: 'circle', square: 'box' }[settings.shape.kind] }[name]);
export const meanings = (name) => key.filter((m) => !m.shape || m.shape === shapeOf(name));
export const meaning = (name) => meanings(name).find((m) => m.name === settings[name].meaning && m.color === settings[name].color);
export const mean = (name, m) => Object.assign(settings[name], { meaning: m.name, color: m.color });

// keep stores a change of the settings object.
export function keep() {
  for (const k of ['left', 'plain', 'ruler', 'keysOff']) mine[k] = settings[k];
  for (const k of Object.keys(mine[role])) mine[role][k] = settings[k];
  clearTimeout(timer);
  timer = setTimeout(async () => (await import('./net.js')).ask('/settings', { method: 'POST', json: mine }).catch(() => {}), 600);
}

export const pen = () => settings.pens[settings.pen];

// look shows the screen as it is kept: plain or not, the rule on which side.
export function look() {
  const screen = document.querySelector('[data-screen]');
  screen.classList.toggle('left', settings.left);
  screen.classList.toggle('plain', settings.plain);
  screen.classList.toggle('reading', settings.ruler);
  document.querySelector('[data-do="plain"]').setAttribute('aria-pressed', String(settings.plain));
}
