// described says marks in words: what they are, whose, and where on the page, by the
// place or the printed words that they are at.

import { core } from './core.js';
import { marks } from './marks.js';
import { linesOf } from './rich.js';

const STAMPS = {
  tick: 'Tick',
  cross: 'Cross',
  question: 'Question mark',
  star: 'Star',
  smile: 'Smiling face',
  up: 'Arrow up',
  down: 'Arrow down',
};
const KINDS = {
  ink: 'Drawing',
  line: 'Line',
  polyline: 'Line',
  polygon: 'Shape',
  circle: 'Circle',
  square: 'Box',
  picture: 'Picture',
  highlight: 'Highlight',
  underline: 'Underline',
  strikeout: 'Crossed out',
};
const NEAR = 60, // points
  MOST = 20000; // marks

// boundsOf gives left, top, right and bottom of what a mark covers; a version of it never
// changes.
const bounds = new Map();
export function boundsOf(e) {
  if (!bounds.has(e.version)) {
    const r = core.bounds(e.version);
    if (!r) return [0, 0, 0, 0];
    if (bounds.size > MOST) bounds.clear();
    bounds.set(e.version, r);
  }
  return bounds.get(e.version);
}

// whose says who made a mark.
export function whose(e) {
  if (e.mark.helper) return `${e.mark.helper}, helping`;
  if (e.mine) return 'you';
  if (e.layer.startsWith('feedback') || e.layer === 'sheet') return 'the teacher';
  return marks.view.teacher ? marks.view.student : (e.by ?? 'somebody');
}

function what(e) {
  const { kind, body } = e.mark;
  if (kind === 'stamp') return STAMPS[body.name] ?? 'Stamp';
  if (kind === 'freetext') return `Writing “${linesOf(body.lines).join(' ')}”`;
  if (kind === 'line' && (body.ends || body.le?.some?.((x) => x && x !== 'None'))) return 'Arrow';
  return KINDS[kind] ?? 'Mark';
}

/** @type {(r: number[], p: number[]) => number} */
const far = (r, [x, y]) => Math.hypot(Math.max(r[0] - x, x - r[2], 0), Math.max(r[1] - y, y - r[3], 0));

// where says at which place, beside what, or at which words a mark is; places are those
// of its page: {r, name, text}.
function where(e, places, printed) {
  if (e.mark.body.text && e.mark.body.quadPoints) return `on “${e.mark.body.text}”`;
  const r = boundsOf(e),
    middle = [(r[0] + r[2]) / 2, (r[1] + r[3]) / 2];
  const near = (all, of) => {
    let best = null,
      least = NEAR;
    for (const one of all) {
      const d = far(of(one), middle);
      if (d < least) [best, least] = [one, d];
    }
    return [best, least];
  };
  const [place, d] = near(places, (p) => p.r),
    [word, w] = near(printed ?? [], (p) => p.b);
  if (place && d <= w + 12)
    return `at ${place.name.replace(/^[^:]*: /, '')}${place.text ? `, beside “${place.text}”` : ''}`;
  if (!word) return '';
  const line = printed.filter((p) => p.l === word.l),
    i = line.indexOf(word);
  return `at “${line
    .slice(Math.max(0, i - 1), i + 3)
    .map((p) => p.t)
    .join(' ')}”`;
}

// described gives a sentence for a mark; like marks in one place are said as one. What was
// said of a version is kept as long as the places hold the same.
const kept = new Map(); // by version: [what the places held, words]
export function described(entries, places, printed) {
  const out = new Map(),
    held = `${places.map((p) => p.text).join('|')} ${printed?.length}`;
  for (const e of entries) {
    const [of, said] = kept.get(e.version) ?? [];
    let words = said;
    if (of !== held) {
      words = `${what(e)} by ${whose(e)} ${where(e, places, printed)}`.trim();
      if (kept.size > MOST) kept.clear();
      kept.set(e.version, [held, words]);
    }
    out.set(words, (out.get(words) ?? 0) + 1);
  }
  return [...out].map(([words, n]) => (n > 1 ? `${n} times: ${words}` : words));
}
