// key is the colour key: what colours stand for, each with a sign of its own.

import { WASHES } from '../settings.js';
import { change, view } from './doc.js';

const SHAPES = [
  ['', 'Every kind of mark'],
  ['highlight', 'Highlights'],
  ['underline', 'Underlines'],
  ['circle', 'Circles'],
  ['box', 'Boxes'],
];
const colors = Object.entries(WASHES);
const key = () => view.kit.key ?? [];
const change1 = (i, f, merge) => change((_, kit) => f(kit.key[i]), merge && `${merge} ${i}`);

const panel = {
  all: [],
  shapes: SHAPES,
  room: true,
  adding: false, // a meaning that has no name yet
  show() {
    const all = key();
    this.room = all.length < colors.length * 4;
    this.all = all.map((m, at) => ({
      at,
      name: m.name,
      sign: m.sign,
      color: m.color,
      shape: m.shape ?? '',
      colors: colors.map(([name, value]) => {
        const taken = all.some((o, j) => j !== at && o.color === value && (o.shape ?? '') === (m.shape ?? ''));
        return { name, value, taken, title: taken ? `${name}, taken` : name };
      }),
    }));
  },
  set(i, k, f) {
    const all = key(),
      v = f.value.trim(),
      ok = v !== '' && !all.some((o, j) => j !== i && String(o[k]).trim().toLowerCase() === v.toLowerCase());
    f.setAttribute('aria-invalid', String(!ok));
    f.title = ok ? '' : 'Two meanings cannot share this';
    if (!ok) return;
    change1(
      i,
      (x) => {
        x[k] = v;
        if (k === 'name' && !x.signed) x.sign = sign(v, i, all);
        if (k === 'sign') x.signed = true;
      },
      k,
    );
    if (k === 'name') this.all[i].sign = view.kit.key[i].sign;
  },
  put: (i, k, v) =>
    change1(i, (x) => {
      x[k] = v;
    }),
  remove: (i) => change((_, kit) => kit.key.splice(i, 1)),
  add() {
    this.adding = true;
  },
  leaveOff() {
    this.adding = false;
  },
  // name makes a meaning of what was typed; with nothing typed there is none.
  name(f) {
    const name = f.value.trim();
    if (name && key().some((m) => m.name.toLowerCase() === name.toLowerCase())) {
      f.setAttribute('aria-invalid', 'true');
      f.title = 'Two meanings cannot share this';
      return;
    }
    if (!this.adding) return;
    this.adding = false;
    if (!name) return;
    change((_, kit) => {
      const all = (kit.key ??= []),
        free = colors.find(([, v]) => !all.some((m) => m.color === v)),
        color = (free ?? colors[0])[1],
        shape = SHAPES.slice(1).find(([s]) => !all.some((m) => m.color === color && m.shape === s));
      all.push({ name, color, sign: sign(name, all.length, all), ...(free ? {} : { shape: shape?.[0] }) });
    });
  },
};
export const mode = { begin() {}, leave() {}, panel, paint() {}, down: () => null };

// sign makes a sign of a meaning's first letters that no other has.
function sign(name, i, all) {
  const letters = [...name.trim().toUpperCase()];
  for (let n = 1; n <= 3; n++) {
    const s = letters.slice(0, n).join('').trim();
    if (s && !all.some((o, j) => j !== i && o.sign === s)) return s;
  }
  return String(i + 1);
}
