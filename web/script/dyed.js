// dyed shows in the words of a sheet what is highlighted, underlined and crossed out on
// its page.

import { el } from './paint.js';
import { whose } from './described.js';

const KINDS = { highlight: 'mark', underline: 'u', strikeout: 's' },
  SAYS = { highlight: 'highlighted', underline: 'underlined', strikeout: 'crossed out' };

// isDyed says of a mark that it is shown so.
export const isDyed = (e) => !!KINDS[e.mark.kind] && !!e.mark.body.text;

function box(q) {
  const xs = q.filter((_, i) => i % 2 === 0),
    ys = q.filter((_, i) => i % 2 === 1);
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

// under tells of a printed word whether its middle is under quads.
export function under(quads) {
  const boxes = (quads ?? []).map(box);
  return ({ b }) => {
    const x = (b[0] + b[2]) / 2,
      y = (b[1] + b[3]) / 2;
    return boxes.some((q) => x > q[0] && x < q[2] && y > q[1] && y < q[3]);
  };
}

// dye dyes the words of bits by the marks of their page; printed are its words with
// their places, where they are known.
export function dye(bits, entries, printed) {
  const on = new Map(); // the marks on a word, by its number
  for (const e of printed ? entries : []) {
    if (!KINDS[e.mark.kind]) continue;
    const covers = under(e.mark.body.quadPoints);
    printed.forEach((w, i) => {
      if (covers(w)) on.set(i, [...(on.get(i) ?? []), e]);
    });
  }
  for (const bit of bits) {
    const runs = []; // [marks, words]
    bit.words.forEach((w, i) => {
      const m = on.get(bit.from + i) ?? [],
        last = runs.at(-1);
      if (last && last[0].length === m.length && last[0].every((e, k) => e === m[k])) last[1].push(w);
      else runs.push([m, [w]]);
    });
    const now = runs.map(([m, w]) => `${m.map((e) => e.version).join()} ${w.length}`).join(';');
    if (bit.was === now) continue;
    bit.was = now;
    bit.span.replaceChildren(
      ...runs.flatMap(([m, w], i) => {
        let n = /** @type {Node} */ (document.createTextNode(w.join(' ')));
        for (const e of m) {
          const { kind, body } = e.mark,
            as = el(
              KINDS[kind],
              { title: `${body.meaning ? `${body.meaning}: ` : ''}${SAYS[kind]} by ${whose(e)}` },
              n,
            );
          if (kind === 'highlight') as.style.backgroundColor = body.color;
          else as.style.textDecorationColor = body.color;
          n = as;
        }
        return i ? [' ', n] : [n];
      }),
    );
  }
}
