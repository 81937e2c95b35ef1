// marks holds what is on the copy and makes operations of changes. The screen
// changes at once; queue.js keeps and sends the operation, history.js knows
// the way back.

import { core } from './core.js';
import { paint, unpaint } from './paint.js';
import { sheetOf } from './surface.js';
import * as queue from './queue.js';
import * as history from './history.js';
import { newId } from './ids.js';

// mode says in whose name things are added: for the teacher to see, or for
// oneself only; by the student, or by somebody who helps.
export const marks = {
  view: null,
  shown: new Map(),
  mode: { own: false, helper: '' },
  onChange: /** @type {(...args: any[]) => any} */ (() => {}),
};

let early = []; // what was done before the core was there: [layer, op, tie]
let group = null;

function show(entry) {
  marks.shown.set(entry.version, entry);
  const sheet = sheetOf(entry.mark.page);
  if (sheet) paint(sheet, entry);
  else entry.groups = []; // on a page that is not laid yet
}

function hide(version) {
  const entry = marks.shown.get(version);
  if (entry) unpaint(entry);
  marks.shown.delete(version);
  return entry;
}

// follow brings the screen in line with the board; said knows of a version who
// made it, and when.
function follow({ gone, put }, said) {
  gone.forEach(hide);
  for (const e of put) show({ ...said(e), ...hide(e.version), ...e });
}

// load shows what the server has, or what this device knew of it; changes that
// still wait are laid on top.
export async function load(view, fromDevice) {
  for (const v of [...marks.shown.keys()]) hide(v);
  early = [];
  paint.picture = (hash) =>
    !view.copy || view.shelf?.some((p) => p.hash === hash)
      ? `/sheets/${view.sheet}/extras/${hash}`
      : `/copies/${view.copy}/pictures/${hash}`;
  marks.view = view;
  view.marks.forEach((m, i) => {
    m.version ||= `fixed-${i}`;
    show(m);
  });
  lay();
  for (const { layer, op } of await queue.waiting(view.copy, fromDevice)) apply(layer, op);
  history.begin(view);
  marks.onChange();
}

// lay lays what is shown on the core's board.
function lay() {
  const conflicts = new Set(core.begin([...marks.shown.values()]));
  if (!core.ready) return;
  for (const e of marks.shown.values()) {
    if (!e.shapes.length)
      e.shapes = core.shapes(e.mark); // this device noted it before it knew them
    else if (!!e.conflict === conflicts.has(e.version)) continue;
    e.conflict = conflicts.has(e.version);
    if (sheetOf(e.mark.page)) paint(sheetOf(e.mark.page), e);
  }
}

// readyForHits hands everything to the core once it is there.
export function readyForHits() {
  for (const [, op] of early) hide(op.id);
  lay();
  for (const [layer, op, tie] of early.splice(0)) apply(layer, op, { tie });
}

const own = (layer) => () => ({
  by: marks.view.me,
  mine: true,
  at: new Date().toISOString(),
  sent: !layer.startsWith('feedback'),
});

// apply lays an operation on the board, and gives the mark as it was taken.
/**
 * @param {string} layer
 * @param {{id: string, on: string, base?: string, mark?: any}} op
 * @param {{tie?: boolean, samples?: number[]}} [how]
 */
function apply(layer, op, { tie, samples } = {}) {
  if (core.ready) {
    const done = core.apply(layer, op, tie, samples);
    if (done) follow(done, own(layer));
    return done?.mark;
  }
  early.push([layer, op, tie]);
  hide(op.base);
  hide(op.id); // this device may have noted it as present
  if (op.mark) show({ version: op.id, mark: op.mark, layer, shapes: [], ...own(layer)() });
  return op.mark;
}

/**
 * @param {string} on the mark's ID
 * @param {any} mark null takes it away
 * @param {string} layer
 * @param {{base?: string, tie?: boolean, samples?: number[]}} [how]
 */
export function change(on, mark, layer, { base, ...how } = {}) {
  const op = { id: newId(), on };
  base ??= core.ready ? core.base(on) : find(on)?.version;
  if (!mark && !base) return null;
  if (base) op.base = base;
  if (mark) op.mark = mark;
  const taken = apply(layer, op, how);
  if (mark && !taken) return null; // it is no mark: nothing is kept of it
  if (mark) op.mark = taken;
  queue.add(marks.view.copy, layer, op);
  marks.onChange();
  return op;
}

// layers names those that the person may change here, for the core's hits.
export const layers = () => (marks.view.edit && !marks.view.teacher ? `${marks.view.edit} own` : marks.view.edit);

// layerNow is where what is added goes.
export const layerNow = () => (marks.mode.own ? 'own' : marks.view.edit);

// set puts a mark (or removes it, with null) and remembers how to undo that.
// What was written in a blank says so itself (written); what is drawn, laid
// down or moved belongs to the blank that it lies in then. Of samples of a pen
// the core makes the stroke.
/**
 * @param {string} on the mark's ID
 * @param {any} mark null takes it away
 * @param {{layer?: string, before?: any, merge?: string, written?: boolean, samples?: number[]}} [how]
 */
export function set(on, mark, { layer, before, merge, written, samples } = {}) {
  const now = find(on);
  layer ??= now?.layer ?? layerNow();
  if (!layer) return null;
  before ??= now?.mark ?? null;
  const done = change(on, mark, layer, { tie: layer === 'work' && !written, samples });
  if (!done) return null;
  const step = { on, layer, before, after: done.mark ?? null },
    begun = group?.find((s) => s.on === on && s.layer === layer);
  if (begun) begun.after = step.after;
  else if (group) group.push(step);
  else history.did([step], merge);
  return done.mark ?? null;
}

// together makes all changes of f one step of undo.
export function together(f) {
  if (group) {
    f();
    return;
  }
  group = [];
  try {
    f();
  } finally {
    const steps = group;
    group = null;
    if (steps.length) history.did(steps);
  }
}

/** @type {(kind: string, page: number, body: any, how?: {blank?: string, samples?: number[], layer?: string}) => any} */
export const add = (kind, page, body, { blank, ...options } = {}) => {
  const mark = { id: newId(), page, kind, body };
  if (blank) Object.assign(mark, { blank });
  if (marks.mode.helper) mark.helper = marks.mode.helper;
  return set(mark.id, mark, { before: null, written: !!blank, ...options });
};

// On a sheet that is one for all, everybody changes only what is their own.
export const mayChange = (e) => marks.view.way !== 'shared' || e.mine || marks.view.runs;

export const find = (id) => [...marks.shown.values()].find((e) => e.mark.id === id && !e.conflict);

// hit gives the foremost mark that the person may have meant.
export const hit = (p, reach) => marks.shown.get(core.hit(layers(), p.sheet.number, p, reach));

// settleConflict drops a version that is in conflict with the mark, or takes it
// in the mark's place.
export function settleConflict(version, take) {
  const e = marks.shown.get(version);
  change(e.mark.id, null, e.layer, { base: version });
  if (take) set(e.mark.id, e.mark, { layer: e.layer });
}

// take shows what others changed.
export async function take({ gone, marks: present }) {
  await core.loaded;
  const by = new Map(present.map((m) => [m.version, m]));
  follow(core.take({ gone, marks: present }), (e) => by.get(e.version));
  marks.onChange();
}

// refresh takes what others did from a newer view, leaving alone what waits here.
export async function refresh(view) {
  if (!queue.busy()) await load(view);
  queue.start();
}
