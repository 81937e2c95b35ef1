// key is the colour key: what colours stand for, each with a sign of its own.

import { el } from '../paint.js';
import { WASHES } from '../settings.js';
import { change, view } from './doc.js';
import { button, choice, field } from './parts.js';

const SHAPES = [
  ['', 'Every kind of mark'],
  ['highlight', 'Highlights'],
  ['underline', 'Underlines'],
  ['circle', 'Circles'],
  ['box', 'Boxes'],
];
export const mode = { begin() {}, leave() {}, panel, paint() {}, down: () => null };

const set = (i, f, merge) => change((_, kit) => f(kit.key[i]), merge && `${merge} ${i}`);

function panel() {
  const all = view.kit.key ?? [],
    used = new Set(all.map((m) => m.color));
  const colors = Object.entries(WASHES),
    free = colors.find(([, v]) => !used.has(v));
  return [
    el(
      'section',
      {},
      el('h2', {}, 'Colour key'),
      el(
        'p',
        { className: 'hint mb-3' },
        all.length
          ? 'Students choose a meaning, not a colour. Its sign stands beside each mark, for those who cannot tell colours apart.'
          : 'Give colours a meaning, such as danger, sea mark, depth. Students then choose the meaning, and you see how often each was used.',
      ),
      ...all.map((m, i) => meaning(m, i, all)),
      all.length < colors.length * 4
        ? button('plus', 'Add a meaning', () =>
            change((_, kit) => {
              const n = (kit.key ??= []).length + 1;
              kit.key.push({
                name: `Meaning ${n}`,
                color: free?.[1] ?? colors[0][1],
                sign: String(n),
                ...(free
                  ? {}
                  : {
                      shape: SHAPES.slice(1)
                        .map(([s]) => s)
                        .find((s) => !kit.key.some((k) => k.color === colors[0][1] && k.shape === s)),
                    }),
              });
            }),
          )
        : null,
    ),
  ];
}

function meaning(m, i, all) {
  const once = (k, v) => !all.some((o, j) => j !== i && String(o[k]).trim().toLowerCase() === v.trim().toLowerCase());
  const words = (k) => (v, f) => {
    const ok = v.trim() !== '' && once(k, v);
    f.setAttribute('aria-invalid', String(!ok));
    f.title = ok ? '' : 'Two meanings cannot share this';
    if (ok)
      set(
        i,
        (x) => {
          x[k] = v.trim();
          if (k === 'name' && !x.signed) x.sign = sign(v, i, all);
          if (k === 'sign') x.signed = true;
        },
        k,
      );
    if (ok && k === 'name') {
      const s = f.closest('.meaning').querySelector('.sign input');
      if (!m.signed) s.value = view.kit.key[i].sign;
    }
  };
  const dots = el(
    'div',
    { className: 'row' },
    ...Object.entries(WASHES).map(([name, v]) => {
      const taken = all.some((o, j) => j !== i && o.color === v && (o.shape ?? '') === (m.shape ?? ''));
      const b = el('button', {
        className: 'swatch',
        'aria-label': name,
        title: taken ? `${name}, taken` : name,
        disabled: taken,
        'aria-pressed': String(v === m.color),
        on: {
          click: () =>
            set(i, (x) => {
              x.color = v;
            }),
        },
      });
      b.style.background = v;
      return b;
    }),
  );
  const s = field('Sign', m.sign, words('sign'), { maxLength: 3 });
  s.classList.add('sign');
  return el(
    'article',
    { className: 'proposal meaning' },
    el('div', { className: 'rest-third' }, field('It means', m.name, words('name'), { maxLength: 40 }), s),
    dots,
    choice('Carried by', m.shape ?? '', SHAPES, (v) =>
      set(i, (x) => {
        x.shape = v;
      }),
    ),
    button(
      'bin',
      'Delete',
      () =>
        change((_, kit) => {
          kit.key.splice(i, 1);
        }),
      'quiet',
    ),
  );
}

// sign makes a sign of a meaning's first letters that no other has.
function sign(name, i, all) {
  const letters = [...name.trim().toUpperCase()];
  for (let n = 1; n <= 3; n++) {
    const s = letters.slice(0, n).join('').trim();
    if (s && !all.some((o, j) => j !== i && o.sign === s)) return s;
  }
  return String(i + 1);
}
