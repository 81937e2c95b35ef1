// prosaic has what is needed of words with a form (bold, slanted, lists, links)
// before the editor for them is there. They are kept as CommonMark, and whoever keeps
// them says so, since in other words a star is a star.

import { el } from './paint.js';

const load = () => import('./prose.js');

// bare gives words without the signs of their form.
export const bare = (text, rich) =>
  rich
    ? text
        .replace(/\[((?:\\.|[^\]\\])*)\]\([^)]*\)/g, '$1')
        .replace(/<((?:https?:|mailto:)[^>]*)>/g, '$1')
        .replace(/^(\s*)[*+-] +/gm, '$1• ')
        .replace(/\\([!-/:-@[-`{-~])|\*+/g, '$1')
        .replace(/\n{2,}/g, '\n')
    : text;

// words shows what was said; drawn is called when its form has come.
export function words(text, rich, drawn) {
  const box = el(rich ? 'div' : 'p', { className: rich ? 'formed' : '' }, bare(text, rich));
  if (rich)
    load().then(
      (prose) => {
        box.replaceChildren(prose.shown(text));
        drawn?.();
      },
      () => {}, // without a line the words alone stand there
    );
  return box;
}

// typed is what stands in a field that may have a form, as it is kept.
export const typed = (field) => ({ text: field.value.trim(), ...(field.rich ? { rich: true } : {}) });

// write gives a field what was kept of it, which may be words alone.
export function write(field, kept) {
  const { text = '', rich = false } = typeof kept === 'string' ? { text: kept } : (kept ?? {});
  field.value = text;
  field.rich = rich;
}

// formal gives the button by which a field gets the editor; one that has a form
// already gets it at once. changed is called when it is there.
export function formal(field, changed = () => {}) {
  const dress = async () => {
    try {
      (await load()).dress(field);
    } catch {
      return; // without a line there is no editor, and what is typed stays
    }
    b.remove();
    changed();
  };
  const b = el(
    'button',
    {
      type: 'button',
      className: 'button formal',
      title: 'Bold, slanted, lists and links',
      'aria-label': 'Bold, slanted, lists and links',
      on: { mousedown: (e) => e.preventDefault(), click: () => dress().then(() => field.focus()) },
    }, // what it shows is in the style sheet
  );
  if (field.rich) dress();
  field.addEventListener('formed', dress); // it was given words with a form
  return b;
}
