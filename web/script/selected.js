// selected offers at the rule, level with them, what can be done with printed
// words that were selected: the meanings of the colour key first.

import { core } from './core.js';
import { el, icon } from './paint.js';
import { dyed, row } from './controls.js';
import { at, surface } from './surface.js';
import { add, marks } from './marks.js';
import { hand } from './pointer.js';
import { meaning, meanings, settings } from './settings.js';
import { signed } from './draw.js';
import { noteOnWords } from './say.js';
import { close, lay, offers } from './spine.js';
import { toast } from './toast.js';
import * as inwords from './inwords.js';
import { readWords } from './aloud.js';
import { lookUp } from './lookup.js';
import { under } from './dyed.js';

let laid = false,
  timer = 0;
function dismiss() {
  if (laid) close();
  laid = false;
}

// chosen gives the run of words that the browser has selected, or null.
function chosen() {
  if (inwords.shown()) return inwords.chosen();
  const s = getSelection();
  if (s.isCollapsed || hand.name !== 'pick') return null;
  const n = s.anchorNode?.parentElement?.closest('.print');
  if (!n) return null;
  const rects = [...s.getRangeAt(0).getClientRects()].filter((r) => r.width > 0.5);
  if (!rects.length) return null;
  const sheet = surface.sheets.find((x) => x.print === n),
    first = rects[0],
    last = rects.at(-1);
  const a = at({ clientX: first.left + 1, clientY: first.top + first.height / 2 }, sheet),
    b = at({ clientX: last.right - 1, clientY: last.top + last.height / 2 }, sheet);
  const run = core.run(sheet.number, a, b, settings.highlighter.letters);
  return run && { sheet, run, top: first.top, text: String(s) };
}

// wordsIn gives the numbers of the words of a run: the first, and that behind the last.
function wordsIn({ sheet, run }) {
  const within = under(run.quadPoints);
  const from = sheet.printed?.findIndex(within) ?? -1;
  return from < 0 ? null : [from, sheet.printed.findLastIndex(within) + 1];
}

function show() {
  const c = chosen();
  if (!c) {
    dismiss();
    return;
  }
  const may = (name) => marks.view.edit && offers(marks.view, name);
  const put = (kind, body) => () => {
    add(kind, c.sheet.number, { quadPoints: c.run.quadPoints, text: c.run.text, ...body });
    getSelection().removeAllRanges();
    dismiss();
  };
  const button = (sign, words, run) => el('button', { className: 'button', on: { click: run } }, sign, words);
  const wash = settings.highlighter,
    line = settings.underline,
    out = [];
  if (may('highlighter'))
    for (const m of meanings('highlighter'))
      out.push(button(dyed(m.color), m.name, put('highlight', { color: m.color, ...signed(m) })));
  if (may('highlighter') && !out.length)
    out.push(button(icon('highlighter'), 'Highlight', put('highlight', { color: wash.color })));
  if (may('underline'))
    out.push(
      button(icon('underline'), 'Underline', put('underline', { color: line.color, ...signed(meaning('underline')) })),
    );
  if (may('crossout'))
    out.push(
      button(
        icon('crossout'),
        'Cross out',
        put('strikeout', { color: settings.crossout.color, ...signed(meaning('crossout')) }),
      ),
    );
  if (marks.view.edit)
    out.push(
      button(icon('note'), 'Note', () => {
        getSelection().removeAllRanges();
        dismiss();
        noteOnWords(c.sheet.number, c.run);
      }),
    );
  out.push(
    button(icon('listen'), 'Listen', () => {
      getSelection().removeAllRanges();
      dismiss();
      readWords(c.sheet.number, c.words ?? wordsIn(c), c.run.text);
    }),
  );
  if (marks.view.copy && offers(marks.view, 'look-up'))
    out.push(
      button(icon('look-up'), 'Look up', () => {
        getSelection().removeAllRanges();
        laid = false;
        lookUp(c.run.text, c.top);
      }),
    );
  out.push(
    button(icon('copy'), 'Copy', async () => {
      try {
        await navigator.clipboard.writeText(c.text);
        toast('Copied.');
      } catch {
        document.execCommand('copy');
      }
      dismiss();
    }),
  );
  lay('The selected words', [row(...out)], c.top);
  laid = true;
}

document.addEventListener('selectionchange', () => {
  clearTimeout(timer);
  timer = setTimeout(show, 180);
});
document.addEventListener('keydown', (e) => {
  if (e.key === 'Escape') dismiss();
});
