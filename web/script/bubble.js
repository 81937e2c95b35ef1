// bubble stands over printed words that were selected, with what can be done
// with them.

import { core } from './core.js';
import { el, icon } from './paint.js';
import { at, surface } from './surface.js';
import { add, marks } from './marks.js';
import { hand, instruments } from './pointer.js';
import { meaning, settings } from './settings.js';
import { signed } from './draw.js';
import { offers } from './spine.js';
import { toast } from './toast.js';

let bubble = null,
  timer = 0;
const dismiss = () => {
  bubble?.remove();
  bubble = null;
};

// chosen gives the run of words that the browser has selected, or null.
function chosen() {
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
  return run && { sheet, run, box: first, text: String(s) };
}

function show() {
  dismiss();
  const c = chosen();
  if (!c) return;
  const may = (name) => marks.view.edit && offers(marks.view, name);
  const put = (kind, of, body) => () => {
    add(kind, c.sheet.number, { color: settings[of].color, quadPoints: c.run.quadPoints, text: c.run.text, ...body });
    getSelection().removeAllRanges();
    dismiss();
  };
  const button = (sign, words, run) =>
    el(
      'button',
      { title: words, 'aria-label': words, on: { click: run, pointerdown: (e) => e.preventDefault() } },
      icon(sign),
      words,
    );
  const q = c.run.quadPoints[0];
  bubble = el(
    'div',
    { className: 'bubble', role: 'toolbar', 'aria-label': 'The selected words' },
    may('highlighter')
      ? button('highlighter', 'Highlight', put('highlight', 'highlighter', signed(meaning('highlighter'))))
      : null,
    may('underline')
      ? button('underline', 'Underline', put('underline', 'underline', signed(meaning('underline'))))
      : null,
    may('crossout') ? button('crossout', 'Cross out', put('strikeout', 'crossout', {})) : null,
    marks.view.edit
      ? button('note', 'Note', () => {
          dismiss();
          instruments.note.write(c.sheet.number, { at: [q[0], q[1]] });
        })
      : null,
    button('copy', 'Copy', async () => {
      try {
        await navigator.clipboard.writeText(c.text);
        toast('Copied.');
      } catch {
        document.execCommand('copy');
      }
      dismiss();
    }),
  );
  document.body.append(bubble);
  const w = bubble.offsetWidth,
    top = c.box.top - bubble.offsetHeight - 8;
  Object.assign(bubble.style, {
    left: `${Math.min(Math.max(c.box.left, 8), innerWidth - w - 8)}px`,
    top: `${top < 56 ? c.box.bottom + 8 : top}px`,
  });
}

document.addEventListener('selectionchange', () => {
  clearTimeout(timer);
  timer = setTimeout(show, 180);
});
surface.desk.addEventListener('scroll', dismiss, { passive: true });
document.addEventListener('keydown', (e) => {
  if (e.key === 'Escape') dismiss();
});
