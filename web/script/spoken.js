// spoken knows what a note speaks about: its place, the mark it goes with, and
// the words of either.

import { bare } from './prosaic.js';
import { core } from './core.js';
import { pixels, round } from './surface.js';
import { marks } from './marks.js';
import { meaning, settings } from './settings.js';
import { linesOf } from './rich.js';

export const QUOTED = 400; // letters of a quotation, at most

// look gives the colour of a note's point, and what it means.
export const look = () => {
  const m = meaning('note');
  return {
    ...(settings.note.color ? { color: settings.note.color } : {}),
    ...(m ? { meaning: m.name, sign: m.sign } : {}),
  };
};

// placeOf gives the place of a note: the point, and the mark under it.
export function placeOf(p) {
  const layers = [...new Set([...marks.shown.values()].map((e) => e.layer))].join(' ');
  const on = marks.shown.get(core.hit(layers, p.sheet.number, p, 3 / pixels()));
  return { at: [round(p.x), round(p.y)], ...(on && on.mark.kind !== 'note' ? speaksOf(on) : {}), ...look() };
}

// speaksOf ties a note to a mark: it goes where the mark goes, and has its words.
export function speaksOf(entry) {
  const [x, y] = core.bounds(entry.version) ?? entry.mark.body.at ?? [0, 0],
    { body } = entry.mark,
    words = body.text?.lines
      ? linesOf(body.text.lines)
      : body.lines
        ? linesOf(body.lines)
        : [bare(body.text ?? '', body.rich)];
  const quote = words.join(' ').trim().slice(0, QUOTED);
  return { on: entry.mark.id, from: [round(x), round(y)], ...(quote ? { quote } : {}) };
}
