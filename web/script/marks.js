// marks holds what is on the copy, makes operations of changes, and undoes
// them. The screen changes at once; queue.js keeps and sends the operation.

import { core } from './core.js';
import { paint, unpaint } from './paint.js';
import { surface } from './surface.js';
import * as queue from './queue.js';
import { newId } from './ids.js';

export const marks = { view: null, shown: new Map(), onChange: () => {}, onHistory: () => {} };

const versions = new Map(); // the newest version of each mark, removed ones too
const pending = new Set(); // versions that are not acknowledged
let past = [], future = [], group = null;
function show(entry) {
  marks.shown.set(entry.version, entry);
  const sheet = surface.sheets[entry.mark.page - 1];
  if (sheet) paint(sheet, entry);
  core.put(entry.layer, entry.version, entry.mark);
}

function hide(version) {
  const entry = marks.shown.get(version);
  if (!entry) return;
  unpaint(entry);
  marks.shown.delete(version);
  core.drop(version);
}

// load shows what the server has; changes that still wait are laid on top.
export async function load(view) {
  for (const v of [...marks.shown.keys()]) hide(v);
  core.clear();
  versions.clear();
  paint.sheet = view.sheet; // where its pictures are
  marks.view = view;
  let unknown = 0;
  for (const m of view.marks) {
    m.version ||= `fixed-${unknown++}`;
    show(m);
    if (!m.beside) versions.set(m.mark.id, m.version);
  }
  for (const { layer, op } of await queue.waiting(view.copy)) apply(layer, op);
  past = []; future = [];
  marks.onChange(); marks.onHistory();
}

// readyForHits hands everything to the core once it is there.
export function readyForHits() {
  for (const e of marks.shown.values()) {
    core.put(e.layer, e.version, e.mark);
    if (e.shapes.length) continue;
    e.shapes = core.shapes(e.mark);
    if (e.shapes.length) paint(surface.sheets[e.mark.page - 1], e);
  }
}

function apply(layer, op) {
  if (op.base) hide(op.base);
  versions.set(op.on, op.id);
  if (!op.mark) return;
  show({ version: op.id, mark: op.mark, layer, shapes: core.shapes(op.mark), by: marks.view.me, mine: true, at: new Date().toISOString(), sent: !layer.startsWith('feedback') });
}

function change(on, mark, layer) {
  const op = { id: newId(), on };
  const base = versions.get(on);
  if (base) op.base = base;
  if (mark) op.mark = mark;
  apply(layer, op);
  pending.add(op.id);
  queue.add(marks.view.copy, layer, op).then(() => pending.delete(op.id));
  marks.onChange();
}

// set puts a mark (or removes it, with null) and remembers how to undo that.
export function set(on, mark, { layer = marks.view.edit, before, merge } = {}) {
  if (!layer) return;
  before ??= find(on)?.mark ?? null;
  const step = { on, layer, before, after: mark };
  const open = group ?? past.at(-1);
  if (merge && !group && open?.merge === merge) open.steps.at(-1).after = mark;
  else if (group) group.steps.push(step);
  else { past.push({ steps: [step], merge }); future = []; }
  change(on, mark, layer);
  marks.onHistory();
}

// together makes all changes of f one step of undo.
export function together(f) {
  group = { steps: [] };
  try { f(); } finally {
    if (group.steps.length) { past.push(group); future = []; }
    group = null;
    marks.onHistory();
  }
}

export const add = (kind, page, body, options) => {
  const mark = { id: newId(), page, kind, body };
  set(mark.id, mark, { before: null, ...options });
  return mark;
};

// On a sheet that is one for all, everybody changes only what is their own.
export const mayChange = (e) => marks.view.way !== 'shared' || e.mine || marks.view.runs;

export const find = (id) => [...marks.shown.values()].find((e) => e.mark.id === id && !e.beside);
export const history = () => ({ undo: past.length > 0, redo: future.length > 0 });

function step(from, to, side) {
  const item = from.pop();
  if (!item) return;
  const steps = side === 'before' ? [...item.steps].reverse() : item.steps;
  for (const s of steps) change(s.on, s[side], s.layer);
  to.push({ ...item, merge: undefined });
  marks.onHistory();
}
export const undo = () => step(past, future, 'before');
export const redo = () => step(future, past, 'after');

// drop removes a version that stands beside the mark; take keeps it instead.
export function settleBeside(version, take) {
  const e = marks.shown.get(version);
  hide(version);
  queue.add(marks.view.copy, e.layer, { id: newId(), on: e.mark.id, base: version });
  if (take) set(e.mark.id, e.mark, { layer: e.layer });
  marks.onChange();
}

// refresh takes what others did from a newer view, leaving alone what waits here.
export async function refresh(view) {
  if (queue.busy()) return;
  const keep = { past, future };
  await load(view);
  ({ past, future } = keep);
  marks.onHistory();
}
