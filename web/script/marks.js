// marks holds what is on the copy and makes operations of changes. The screen
// changes at once; queue.js keeps and sends the operation, history.js knows
// the way back.

import { core } from './core.js';
import { paint, unpaint } from './paint.js';
import { surface } from './surface.js';
import * as queue from './queue.js';
import * as history from './history.js';
import { newId } from './ids.js';

// mode says in whose name things are added: for the teacher to see, or for
// oneself only; by the student, or by somebody who helps.
export const marks = { view: null, shown: new Map(), mode: { own: false, helper: '' }, onChange: () => {} };

const versions = new Map(); // the newest version of each mark, removed ones too
let group = null;

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

// load shows what the server has, or what this device knew of it; changes that
// still wait are laid on top.
export async function load(view, fromDevice) {
  for (const v of [...marks.shown.keys()]) hide(v);
  core.clear();
  versions.clear();
  paint.picture = (hash) =>
    !view.copy || view.shelf?.some((p) => p.hash === hash)
      ? `/sheets/${view.sheet}/extras/${hash}`
      : `/copies/${view.copy}/pictures/${hash}`;
  marks.view = view;
  let unknown = 0;
  for (const m of view.marks) {
    m.version ||= `fixed-${unknown++}`;
    show(m);
    if (!m.beside) versions.set(m.mark.id, m.version);
  }
  for (const { layer, op } of await queue.waiting(view.copy, fromDevice)) apply(layer, op);
  history.begin(view);
  marks.onChange();
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
  hide(op.id); // it may be there already
  versions.set(op.on, op.id);
  if (!op.mark) return;
  show({
    version: op.id,
    mark: op.mark,
    layer,
    shapes: core.shapes(op.mark),
    by: marks.view.me,
    mine: true,
    at: new Date().toISOString(),
    sent: !layer.startsWith('feedback'),
  });
}

export function change(on, mark, layer) {
  const op = { id: newId(), on };
  const base = versions.get(on);
  if (!mark && !base) return;
  if (base) op.base = base;
  if (mark) op.mark = mark;
  apply(layer, op);
  queue.add(marks.view.copy, layer, op);
  marks.onChange();
}

// layers names those that the person may change here, for the core's hits.
export const layers = () => (marks.view.edit && !marks.view.teacher ? `${marks.view.edit} own` : marks.view.edit);

// layerNow is where what is added goes.
export const layerNow = () => (marks.mode.own ? 'own' : marks.view.edit);

// tied gives a mark the name of the blank that it lies in.
function tied(mark) {
  const { blank: _, ...rest } = mark,
    blank = core.blankOf(mark);
  return blank ? { ...rest, blank } : rest;
}

// set puts a mark (or removes it, with null) and remembers how to undo that.
// What was written in a blank says so itself (written); what is drawn, laid
// down or moved belongs to the blank that it lies in then.
export function set(on, mark, { layer, before, merge, written } = {}) {
  const now = find(on);
  layer ??= now?.layer ?? layerNow();
  if (!layer) return;
  if (mark && layer === 'work' && !written) mark = tied(mark);
  before ??= now?.mark ?? null;
  const step = { on, layer, before, after: mark };
  if (group) group.push(step);
  else history.did([step], merge);
  change(on, mark, layer);
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

export const add = (kind, page, body, { blank, ...options } = {}) => {
  const mark = { id: newId(), page, kind, body };
  if (blank) Object.assign(mark, { blank });
  if (marks.mode.helper) mark.helper = marks.mode.helper;
  set(mark.id, mark, { before: null, written: !!blank, ...options });
  return mark;
};

// On a sheet that is one for all, everybody changes only what is their own.
export const mayChange = (e) => marks.view.way !== 'shared' || e.mine || marks.view.runs;

export const find = (id) => [...marks.shown.values()].find((e) => e.mark.id === id && !e.beside);

// hit gives the foremost mark that the person may have meant.
export const hit = (p, reach) => marks.shown.get(core.hit(layers(), p.sheet.number, p, reach));

// settleBeside drops a version that stands beside the mark, or takes it in the mark's place.
export function settleBeside(version, take) {
  const e = marks.shown.get(version);
  hide(version);
  queue.add(marks.view.copy, e.layer, { id: newId(), on: e.mark.id, base: version });
  if (take) set(e.mark.id, e.mark, { layer: e.layer });
  marks.onChange();
}

// take shows what others changed. Of several versions of one mark the latest
// made is the mark and the others stand beside it.
export function take({ on, gone, marks: present }) {
  for (const v of gone) hide(v);
  for (const m of present) {
    hide(m.version);
    show(m);
  }
  for (const id of new Set(on)) {
    const all = [...marks.shown.values()].filter((e) => e.mark.id === id && e.layer === 'work');
    const latest = all
      .map((e) => e.version)
      .sort()
      .at(-1);
    if (latest) versions.set(id, latest);
    else versions.delete(id);
    for (const e of all)
      if (!!e.beside !== (e.version !== latest)) {
        e.beside = e.version !== latest;
        paint(surface.sheets[e.mark.page - 1], e);
      }
  }
  marks.onChange();
}

// refresh takes what others did from a newer view, leaving alone what waits here.
export async function refresh(view) {
  if (!queue.busy()) await load(view);
  queue.start();
}
