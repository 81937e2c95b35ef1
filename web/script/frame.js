// frame draws the frame around what is in hand, with handles to stretch and to
// turn it, and the lines that appear where it stands level with other marks.

import { core } from './core.js';
import { node } from './paint.js';
import { atSteps, pixels, round, sheetOf } from './surface.js';
import { marks, mayChange } from './marks.js';
import { again } from './rich.js';

const KEEPS = ['freetext', 'picture', 'stamp']; // kinds whose corners keep their proportion
const FIXED = ['note', 'widget', 'underline', 'strikeout'];
let shown = null; // {group, rect, pivot, turn, handles, entries}

const boundsOf = (e) => core.bounds(e.version);
export const union = (rs) =>
  rs.reduce((a, b) => [Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[2], b[2]), Math.max(a[3], b[3])]);
/** @type {(place: number[], about: number[], degrees: number) => number[]} */
const turnedAt = ([x, y], [cx, cy], degrees) => {
  const a = (degrees * Math.PI) / 180,
    dx = x - cx,
    dy = y - cy;
  return [cx + dx * Math.cos(a) - dy * Math.sin(a), cy + dx * Math.sin(a) + dy * Math.cos(a)];
};
const fixed = (e) =>
  FIXED.includes(e.mark.kind) || (e.mark.kind === 'highlight' && e.mark.body.text) || e.conflict || !mayChange(e);

// frameOf gives the rectangle around entries; that of a single one is turned as it is.
function frameOf(entries) {
  if (entries.length === 1) {
    const f = core.frame(entries[0].version);
    return f && { rect: f.rect, pivot: f.pivot, turn: f.turn };
  }
  const rect = union(entries.map(boundsOf).filter(Boolean));
  return { rect, pivot: [(rect[0] + rect[2]) / 2, (rect[1] + rect[3]) / 2], turn: 0 };
}

// draw shows the frame; while a gesture goes on it is drawn without handles,
// from marks that the core does not know yet.
export function draw(entries, going) {
  shown?.group.remove();
  shown = null;
  if (!entries.length || !entries[0].groups) return;
  const sheet = sheetOf(entries[0].mark.page),
    over = sheet.box.querySelector('.over'),
    z = pixels(),
    group = node('g', { class: 'frame' });
  const known = going
    ? entries.map((e, i) => {
        core.lay('gesture', `gesture-${i}`, e.mark);
        return { ...e, version: `gesture-${i}` };
      })
    : entries;
  const f = frameOf(known);
  if (going) known.forEach((e) => core.drop(e.version));
  if (!f) return;
  const [l, t, r, b] = f.rect,
    gap = 4 / z;
  const box = node('g', { transform: f.turn ? `rotate(${f.turn} ${f.pivot[0]} ${f.pivot[1]})` : undefined });
  box.append(
    node('rect', { class: 'chosen', x: l - gap, y: t - gap, width: r - l + 2 * gap, height: b - t + 2 * gap, rx: 2 }),
  );
  group.append(box);
  const handles = [];
  if (!going && !entries.some(fixed)) {
    const one = entries.length === 1 ? entries[0].mark.kind : '';
    const at = { nw: [l - gap, t - gap], ne: [r + gap, t - gap], se: [r + gap, b + gap], sw: [l - gap, b + gap] };
    if (one === 'line') {
      delete at.ne;
      delete at.sw;
      const v = entries[0].mark.body.l;
      at.nw = [v[0], v[1]];
      at.se = [v[2], v[3]];
    } else if (!KEEPS.includes(one) && entries.length === 1 && r - l > 40 / z)
      Object.assign(at, {
        n: [(l + r) / 2, t - gap],
        e: [r + gap, (t + b) / 2],
        s: [(l + r) / 2, b + gap],
        w: [l - gap, (t + b) / 2],
      });
    if (one === 'freetext') at.e = [r + gap, (t + b) / 2];
    for (const [name, place] of Object.entries(at))
      handles.push({ name, place: turnedAt(place, f.pivot, f.turn), own: place });
    if (one !== 'line') {
      const up = [(l + r) / 2, t - gap - 26 / z];
      box.append(node('line', { class: 'chosen', x1: up[0], y1: t - gap, x2: up[0], y2: up[1] }));
      handles.push({ name: 'turn', place: turnedAt(up, f.pivot, f.turn), own: up });
    }
    for (const h of handles)
      box.append(
        node(
          h.name === 'turn' || one === 'line' ? 'circle' : 'rect',
          h.name === 'turn' || one === 'line'
            ? { class: 'handle', cx: h.own[0], cy: h.own[1], r: 6 / z }
            : { class: 'handle', x: h.own[0] - 5 / z, y: h.own[1] - 5 / z, width: 10 / z, height: 10 / z, rx: 2 / z },
        ),
      );
  }
  over.append(group);
  shown = { group, sheet, entries, handles, ...f };
}

// grabbed gives what a press on a handle begins, or null.
export function grabbed(p, e) {
  if (!shown || shown.sheet !== p.sheet) return null;
  const reach = (e.pointerType === 'touch' ? 22 : 11) / pixels();
  const h = shown.handles
    .map((x) => ({ ...x, far: Math.hypot(p.x - x.place[0], p.y - x.place[1]) }))
    .filter((x) => x.far <= reach)
    .sort((a, b) => a.far - b.far)[0];
  if (!h) return null;
  const { rect, pivot, turn, entries } = shown;
  if (h.name === 'turn') {
    const middle = turnedAt([(rect[0] + rect[2]) / 2, (rect[1] + rect[3]) / 2], pivot, turn);
    return { kind: 'turn', x: middle[0], y: middle[1], turn };
  }
  if (entries[0].mark.kind === 'line' && entries.length === 1)
    return {
      kind: 'stretch',
      stretch: (q, ev) => [[entries[0], dragEnd(entries[0].mark, h.name === 'nw' ? 0 : 2, q, ev)]],
    };
  const one = entries.length === 1,
    kinds = entries.map((x) => x.mark.kind);
  if (one && kinds[0] === 'freetext' && h.name === 'e') return widen(entries[0], rect, pivot, turn);
  return {
    kind: 'stretch',
    stretch(q, ev) {
      const to = stretched(
        rect,
        h.name,
        turnedAt([q.x, q.y], pivot, -turn),
        kinds.some((k) => KEEPS.includes(k)) !== ev.shiftKey && h.name.length === 2,
      );
      return entries.map((x) => [x, one ? core.reframed(x.version, to) : core.fitted(x.version, rect, to)]);
    },
  };
}

function dragEnd(mark, i, q, e) {
  const l = [...mark.body.l],
    other = { x: l[2 - i], y: l[3 - i] },
    at = e.shiftKey ? atSteps(other, q) : q;
  l[i] = round(at.x);
  l[i + 1] = round(at.y);
  return { ...mark, body: { ...mark.body, l } };
}

// widen gives a text another width, at which it breaks its lines anew.
function widen(e, rect, pivot, turn) {
  const width = (q) => Math.max(turnedAt([q.x, q.y], pivot, -turn)[0] - rect[0], 24);
  const to = (q) => ({
    ...e.mark,
    body: again(sheetOf(e.mark.page), e.mark.body, { box: round(width(q)) }),
  });
  return { kind: 'stretch', stretch: (q) => [[e, to(q)]] };
}

// stretched gives the rectangle whose handle was dragged to (x, y).
/**
 * @param {number[]} rect
 * @param {string} handle
 * @param {number[]} to
 * @param {boolean} keep its proportions
 */
function stretched([l, t, r, b], handle, [x, y], keep) {
  const least = 6;
  let [nl, nt, nr, nb] = [l, t, r, b];
  if (handle.includes('w')) nl = Math.min(x, r - least);
  if (handle.includes('e')) nr = Math.max(x, l + least);
  if (handle.includes('n')) nt = Math.min(y, b - least);
  if (handle.includes('s')) nb = Math.max(y, t + least);
  if (keep) {
    const k = Math.max((nr - nl) / Math.max(r - l, 0.1), (nb - nt) / Math.max(b - t, 0.1), 0.05),
      w = (r - l) * k,
      h = (b - t) * k;
    if (handle.includes('w')) nl = nr - w;
    else nr = nl + w;
    if (handle.includes('n')) nt = nb - h;
    else nb = nt + h;
  }
  return [nl, nt, nr, nb];
}

// helps prepares the lines that show when what is moved stands level with
// others: it gives a function from a movement to the one that is level.
export function helps(entries) {
  if (!entries.length) return (dx, dy) => [dx, dy];
  const sheet = sheetOf(entries[0].mark.page),
    mine = union(entries.map(boundsOf).filter(Boolean));
  const others = [...marks.shown.values()]
    .filter((e) => e.mark.page === sheet.number && !entries.includes(e) && e.groups.length && e.mark.kind !== 'ink')
    .slice(-80)
    .map(boundsOf)
    .filter(Boolean);
  const across = [0, 1, 2].map((i) => [
    ...(i === 1 ? [sheet.w / 2] : []),
    ...others.map((o) => [o[0], (o[0] + o[2]) / 2, o[2]][i]),
  ]);
  const down = [0, 1, 2].map((i) => others.map((o) => [o[1], (o[1] + o[3]) / 2, o[3]][i]));
  const near = (at, sides) => {
    let best = { d: 4 / pixels(), at: null };
    at.forEach((v, i) => {
      for (const o of sides[i]) if (Math.abs(o - v) < Math.abs(best.d)) best = { d: o - v, at: o };
    });
    return best.at === null ? null : best;
  };
  return (dx, dy, free) => {
    lines();
    if (free) return [dx, dy];
    const x = near([mine[0] + dx, (mine[0] + mine[2]) / 2 + dx, mine[2] + dx], across),
      y = near([mine[1] + dy, (mine[1] + mine[3]) / 2 + dy, mine[3] + dy], down);
    if (x) lines(sheet, { x1: x.at, y1: 0, x2: x.at, y2: sheet.h });
    if (y) lines(sheet, { x1: 0, y1: y.at, x2: sheet.w, y2: y.at });
    return [dx + (x?.d ?? 0), dy + (y?.d ?? 0)];
  };
}

// lines draws one such line more, or takes all away.
export function lines(sheet, line) {
  if (!sheet) {
    for (const n of document.querySelectorAll('.over .level')) n.remove();
    return;
  }
  sheet.box.querySelector('.over').append(node('line', { class: 'level', ...line }));
}
