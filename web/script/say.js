// say has the instruments that speak: note and voice note. Both begin at a
// place on the page, or on a mark, and are written or recorded in the margin.

import { core } from './core.js';
import { el } from './paint.js';
import { pixels } from './surface.js';
import { newId } from './ids.js';
import { add, marks } from './marks.js';
import { instruments } from './pointer.js';
import { draft } from './margin.js';
import { record } from './record.js';

// placeOf gives the place of a note: the point, and the mark under it.
function placeOf(p) {
  const round = (v) => Math.round(v * 100) / 100;
  const layers = [...new Set([...marks.shown.values()].map((e) => e.layer))];
  const on = layers.map((l) => marks.shown.get(core.hit(l, p.sheet.number, p, 3 / pixels()))).find((e) => e && e.mark.kind !== 'note');
  return { at: [round(p.x), round(p.y)], ...(on ? { on: on.mark.id } : {}) };
}

instruments.note = {
  tap(p) {
    this.leave();
    const place = placeOf(p), key = newId();
    const area = el('textarea', { rows: 2, 'aria-label': 'Your note', placeholder: 'Write a note' });
    const keep = () => {
      if (this.open !== keep) return;
      this.open = null;
      const text = area.value.trim();
      end();
      if (text) add('note', p.sheet.number, { ...place, text });
    };
    const end = draft(key, p.sheet.number, place.at, area, el('div', { className: 'tools' },
      el('button', { className: 'button dark', on: { click: keep } }, 'Keep'), el('button', { className: 'button quiet', on: { click: () => { area.value = ''; keep(); } } }, 'Drop')));
    this.open = keep;
    area.addEventListener('keydown', (e) => {
      if (e.key === 'Escape' || (e.key === 'Enter' && (e.ctrlKey || e.metaKey))) { e.preventDefault(); keep(); }
    });
    area.focus({ preventScroll: true });
  },
  leave() { this.open?.(); },
};

instruments.voice = {
  async tap(p) {
    if (this.busy) return;
    const place = placeOf(p), key = newId();
    const body = el('div');
    const end = draft(key, p.sheet.number, place.at, body);
    const finish = () => { this.busy = null; end(); };
    this.busy = finish;
    await record(body, { seconds: marks.view.voice, to: `/copies/${marks.view.copy}/sounds?layer=${marks.view.edit}` }, finish, (voice) => { finish(); add('note', p.sheet.number, { ...place, voice }); });
  },
};
