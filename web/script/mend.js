// mend takes things off the page: the eraser takes whole marks by touching
// them, or, set so, exactly the parts of lines that it goes over.

import { core } from './core.js';
import { node } from './paint.js';
import { pixels } from './surface.js';
import { hit, layers, marks, mayChange, set, together } from './marks.js';
import { instruments } from './pointer.js';
import { settings } from './settings.js';
import { question } from './dialogs.js';

const whole = {
  down(p) {
    this.doomed = new Set();
    this.last = p;
    this.touch(p);
  },
  // move goes all the way between two places: a quick sweep touches what it crosses.
  move(_, __, all) {
    const step = this.reach();
    for (const p of all) {
      const from = this.last,
        n = Math.ceil(Math.hypot(p.x - from.x, p.y - from.y) / step);
      for (let i = 1; i <= n; i++)
        this.touch({ ...p, x: from.x + ((p.x - from.x) * i) / n, y: from.y + ((p.y - from.y) * i) / n });
      this.last = p;
    }
  },
  reach: () => 6 / pixels() + 2, // points
  touch(p) {
    const entry = hit(p, this.reach());
    if (!entry || this.doomed.has(entry) || entry.mark.kind === 'note' || !mayChange(entry)) return;
    this.doomed.add(entry);
    for (const g of entry.groups) g.classList.add('doomed');
  },
  up() {
    if (this.doomed.size)
      together(() => {
        for (const e of this.doomed) set(e.mark.id, null, { before: e.mark });
      });
  },
  cancel() {
    for (const e of this.doomed ?? []) for (const g of e.groups) g.classList.remove('doomed');
  },
};

const parts = {
  down(p) {
    this.way = [p.x, p.y, 0.5];
    this.radius = settings.eraser.size / 2;
    this.sheet = p.sheet;
    this.trail = node('path', { class: 'rubbing', 'stroke-width': settings.eraser.size });
    this.ring = node('circle', { class: 'rubber', r: this.radius });
    p.sheet.box.querySelector('.over').append(this.trail, this.ring);
    this.show(p);
  },
  show(p) {
    const w = this.way;
    this.trail.setAttribute(
      'd',
      `M${w[0]} ${w[1]}${w.length > 3 ? '' : 'h.01'}${w.slice(3).reduce((d, v, i) => d + (i % 3 === 0 ? `L${v}` : i % 3 === 1 ? ` ${v}` : ''), '')}`,
    );
    this.ring.setAttribute('cx', p.x);
    this.ring.setAttribute('cy', p.y);
  },
  move(p, _, all) {
    for (const q of all) this.way.push(q.x, q.y, 0.5);
    this.show(p);
  },
  up() {
    this.cancel();
    const left = core
      .rubbed(layers(), this.sheet.number, this.radius, this.way)
      .map((l) => ({ ...l, entry: marks.shown.get(l.version) }))
      .filter((l) => l.entry && mayChange(l.entry) && !l.entry.conflict);
    if (left.length)
      together(() => {
        for (const { entry, mark } of left) set(entry.mark.id, mark, { before: entry.mark });
      });
  },
  cancel() {
    this.trail?.remove();
    this.ring?.remove();
  },
};

instruments.eraser = {
  draws: true,
  down(...how) {
    this.by = settings.eraser.parts ? parts : whole;
    this.by.down(...how);
  },
  move(...how) {
    this.by.move(...how);
  },
  up(...how) {
    this.by.up(...how);
  },
  cancel() {
    this.by?.cancel();
  },
};

// clearMarks takes all of the person's marks off a page, or off the whole
// copy, after one question; notes stay, and undo brings everything back.
export async function clearMarks(page) {
  const mine = [...marks.shown.values()].filter(
    (e) =>
      layers().split(' ').includes(e.layer) &&
      (!page || e.mark.page === page) &&
      !['note', 'reply', 'paper'].includes(e.mark.kind) &&
      mayChange(e) &&
      !e.conflict,
  );
  if (!mine.length) return 0;
  const things = `${mine.length} ${mine.length === 1 ? 'thing' : 'things'}`;
  if (
    !(await question(
      'Clear your marks?',
      `${things} that you typed, drew or highlighted ${page ? `on page ${page}` : 'on this copy'} will be gone. Notes stay. Undo brings everything back.`,
      'Clear them',
    ))
  )
    return 0;
  together(() => {
    for (const e of mine) set(e.mark.id, null, { before: e.mark });
  });
  return mine.length;
}
