// popover has what stands in the popover of each instrument: the other instruments
// of its place, and its settings.

import { el, icon } from './paint.js';
import { act, chip, dyed, hint, row, slider, stepper, swatches } from './controls.js';
import { marks, mayChange } from './marks.js';
import { INKS, mean, meaning, meanings, pen, settings, WASHES } from './settings.js';
import { duplicate, order, picked, remove, restyle, retype, takeBeside } from './pick.js';
import * as clipboard from './clipboard.js';
import { dress, lookNow, raise } from './type.js';
import { lookOf } from './rich.js';
import { palette } from './signs.js';
import { choose } from './pictures.js';
import { ownStamp } from './shapes.js';
import * as aids from './aids.js';
import { noteOn, saying } from './say.js';
import { clearMarks } from './mend.js';
import { current } from './surface.js';
import { toast } from './toast.js';
import { close, NAMES } from './spine.js';

const FONT_NAMES = { '': 'Clear', serif: 'Serif', school: 'School', mono: 'Even' };

// texting has what text can be: its font, broad or slanted, its size, colour,
// background and alignment. change is called with what was chosen.
function texting(now, change, aligned) {
  const toggle = (key, sign, words) =>
    el(
      'button',
      {
        className: `letter ${key}`,
        title: words,
        'aria-label': words,
        'aria-pressed': String(!!now[key]),
        on: { click: () => change({ [key]: !now[key] }) },
      },
      sign,
    );
  const align = (to, words) =>
    el(
      'button',
      {
        className: 'letter',
        title: words,
        'aria-label': words,
        'aria-pressed': String((now.align || '') === to),
        on: { click: () => change({ align: to }) },
      },
      icon(`align-${to || 'left'}`),
    );
  return [
    row(
      ...Object.entries(FONT_NAMES).map(([f, name]) =>
        el(
          'button',
          {
            className: `kind font-${f || 'clear'}`,
            'aria-pressed': String((now.font ?? '') === f),
            on: { click: () => change({ font: f }) },
          },
          name,
        ),
      ),
    ),
    row(
      toggle('bold', 'B', 'Bold'),
      toggle('italic', 'I', 'Italic'),
      toggle('under', 'U', 'Underlined'),
      ...(aligned ? [align('', 'To the left'), align('center', 'In the middle'), align('right', 'To the right')] : []),
    ),
    swatches(INKS, now.color, (color) => change({ color })),
    stepper('Size', now.size, (size) => change({ size }), now.size >= 24 ? 2 : 1, 6, 96),
    swatches({ 'No ground': '', white: '#ffffff', ...WASHES }, now.fill || '', (fill) => change({ fill })),
  ];
}

// fill gives the contents for the instruments of a place: name is the one in
// hand, take takes another, done is called when a setting has changed.
export function fill(names, name, take, done) {
  const out = [],
    set = (f) => () => {
      f();
      done();
    },
    to = (object, key) => (v) =>
      set(() => {
        object[key] = v;
      })();
  if (names.length > 1 && !(name === 'pick' && picked.all.length))
    out.push(
      el(
        'div',
        { className: 'instruments' },
        ...names.map((n) =>
          el(
            'button',
            {
              'aria-pressed': String(n === name),
              on: {
                click: () => {
                  take(n);
                  done();
                },
              },
            },
            icon(n),
            NAMES[n],
          ),
        ),
      ),
    );
  // meant offers the meanings of the colour key first, and then plain colours.
  const meant = (of, colors) => {
    const ones = meanings(of),
      now = meaning(of);
    if (ones.length)
      out.push(
        row(
          ...ones.map((m) =>
            chip(
              dyed(m.color),
              `${m.name} (${m.sign})`,
              m === now,
              set(() => mean(of, m)),
            ),
          ),
        ),
      );
    out.push(
      swatches(colors, now ? '' : settings[of].color, (v) =>
        set(() => Object.assign(settings[of], { color: v, meaning: '' }))(),
      ),
    );
  };
  const own = {
    type() {
      const typed = lookNow();
      if (typed && marks.view.recognises)
        out.push(
          row(
            el(
              'button',
              {
                className: 'kind speak',
                on: {
                  pointerdown: (e) => e.preventDefault(),
                  click: () => document.dispatchEvent(new CustomEvent('speak')),
                },
              },
              icon('voice'),
              'Speak it',
            ),
          ),
        );
      if (typed)
        out.push(
          row(
            el('button', { className: 'kind', on: { click: () => raise(1) } }, 'Raise x', el('sup', {}, '2')),
            el('button', { className: 'kind', on: { click: () => raise(-1) } }, 'Lower x', el('sub', {}, '2')),
          ),
        );
      out.push(
        ...texting(
          typed ?? settings.type,
          (change) =>
            set(() => {
              // What is done to some words says nothing of those typed next.
              if (dress(change) !== 'some' && !('align' in change)) Object.assign(settings.type, change);
            })(),
          !!typed,
        ),
      );
      if (typed?.smaller) out.push(el('p', { className: 'hint' }, 'The letters are smaller so that all of it fits.'));
    },
    signs: () => out.push(...palette()),
    highlighter() {
      meant('highlighter', WASHES);
      const h = settings.highlighter,
        how = (words, stroke, letters) =>
          chip(
            null,
            words,
            !!h.stroke === stroke && (stroke || h.letters === letters),
            set(() => Object.assign(h, { stroke, letters })),
          );
      out.push(row(how('Words', false, false), how('Letters', false, true), how('Broad stroke', true, h.letters)));
      if (h.stroke) out.push(stepper('Width', h.width ?? 14, to(h, 'width'), 2, 6, 40));
    },
    underline: () => meant('underline', INKS),
    crossout: () => meant('crossout', INKS),
    shape() {
      const o = settings.shape;
      out.push(
        row(
          ...Object.entries({
            circle: 'Ellipse',
            square: 'Box',
            line: 'Line',
            arrow: 'Arrow',
            polyline: 'Through places',
          }).map(([k, words]) =>
            chip(
              `shape-${k}`,
              words,
              o.kind === k,
              set(() => {
                o.kind = k;
              }),
            ),
          ),
        ),
      );
      if (o.kind === 'arrow')
        out.push(
          row(
            hint('Head'),
            ...Object.entries({ to: 'At the end', from: 'At the beginning', both: 'At both' }).map(([k, words]) =>
              chip(
                null,
                words,
                (o.ends ?? 'to') === k,
                set(() => {
                  o.ends = k;
                }),
              ),
            ),
          ),
          row(
            hint('Its size'),
            ...Object.entries({ Small: 0.7, Medium: 1, Large: 1.7 }).map(([words, k]) =>
              chip(
                null,
                words,
                (o.heads ?? 1) === k,
                set(() => {
                  o.heads = k;
                }),
              ),
            ),
          ),
        );
      if (o.kind === 'circle' || o.kind === 'square') meant('shape', INKS);
      else out.push(swatches(INKS, o.color, to(o, 'color')));
      out.push(
        stepper('Width', o.width, to(o, 'width'), o.width < 2 ? 0.5 : 1, 0.5, 20),
        slider('Strength', o.opacity, to(o, 'opacity')),
      );
      out.push(snapping(set));
      if (o.kind === 'polyline')
        out.push(el('p', { className: 'hint' }, 'Press place after place; press the last one again to end the line.'));
    },
    pen() {
      const p = pen();
      out.push(
        row(
          ...settings.pens.map((q, i) =>
            chip(
              inked(q),
              nameOf(q),
              q === p,
              set(() => {
                settings.pen = i;
              }),
            ),
          ),
        ),
        swatches(INKS, p.color, to(p, 'color')),
        stepper('Width', p.width, to(p, 'width'), p.width < 2 ? 0.5 : 1, 0.5, 40),
        slider('Strength', p.opacity, to(p, 'opacity')),
        row(
          act(
            'plus',
            'Another pen',
            set(() => {
              settings.pens = [...settings.pens, { ...p, name: `Mine ${settings.pens.length - 2}` }];
              settings.pen = settings.pens.length - 1;
            }),
          ),
          settings.pens.length > 1
            ? act(
                'bin',
                `Take ${nameOf(p)} out`,
                set(() => {
                  settings.pens = settings.pens.filter((q) => q !== p);
                  settings.pen = 0;
                }),
              )
            : null,
        ),
      );
    },
    stamp() {
      const s = settings.stamp,
        words = {
          tick: 'Tick',
          cross: 'Cross',
          question: 'Question',
          star: 'Star',
          smile: 'Smile',
          up: 'Up',
          down: 'Down',
        };
      out.push(
        row(
          ...Object.entries(words).map(([n, w]) =>
            el(
              'button',
              {
                className: 'ready',
                title: w,
                'aria-label': w,
                'aria-pressed': String(s.own === undefined && s.name === n),
                on: {
                  click: set(() => {
                    s.name = n;
                    delete s.own;
                  }),
                },
              },
              icon(`stamp-${n}`),
            ),
          ),
        ),
      );
      if (settings.stamps.length)
        out.push(
          row(
            ...settings.stamps.map((_, i) =>
              el(
                'button',
                {
                  className: 'ready',
                  title: `Your stamp ${i + 1}`,
                  'aria-label': `Your stamp ${i + 1}`,
                  'aria-pressed': String(s.own === i),
                  on: {
                    click: set(() => {
                      s.own = i;
                    }),
                  },
                },
                sketch(settings.stamps[i]),
              ),
            ),
          ),
        );
      out.push(
        swatches(INKS, s.color, to(s, 'color')),
        stepper('Size', s.size ?? 18, to(s, 'size'), 4, 10, 80),
        snapping(set),
      );
      out.push(
        el(
          'p',
          { className: 'hint' },
          settings.stamps.length ? '' : 'Draw something, pick it, and keep it as a stamp of your own.',
        ),
      );
    },
    picture() {
      const shelf = marks.view.shelf ?? [],
        now = shelf.find((p) => p.hash === settings.picture) ?? shelf[0];
      if (shelf.length)
        out.push(
          el('p', { className: 'hint' }, 'Choose one, then press the page.'),
          row(
            ...shelf.map((p) =>
              el(
                'button',
                {
                  className: 'of-shelf',
                  title: p.name,
                  'aria-label': p.name,
                  'aria-pressed': String(p === now),
                  on: {
                    click: set(() => {
                      settings.picture = p.hash;
                    }),
                  },
                },
                el('img', { src: `/sheets/${marks.view.sheet}/extras/${p.hash}`, alt: '' }),
              ),
            ),
          ),
        );
      out.push(
        row(
          act('picture', 'From a file', () => choose()),
          act('camera', 'Camera', () => choose(null, true)),
        ),
        el('p', { className: 'hint' }, 'You can also paste a picture, or drop it on the page.'),
      );
    },
    ruler() {
      out.push(
        row(
          ...Object.entries({ ruler: 'Ruler', protractor: 'Protractor', grid: 'Square grid' }).map(([n, w]) =>
            chip(
              `aid-${n}`,
              w,
              aids.isLaid(n),
              set(() => aids.toggle(n)),
            ),
          ),
        ),
      );
      if (aids.isLaid('grid'))
        out.push(stepper('Squares, mm', aids.step(), (v) => set(() => aids.setStep(v))(), 1, 2, 20));
      out.push(
        el(
          'p',
          { className: 'hint' },
          'Lay one on the page, drag it, turn it by its knob. Lines drawn along its edge follow it; lines of Shapes go from crossing to crossing of the grid.',
        ),
      );
    },
    note: () => out.push(...saying(done)),
    voice: () => out.push(...saying(done)),
    eraser() {
      const e = settings.eraser,
        parts = (on) =>
          set(() => {
            e.parts = on;
          });
      out.push(
        row(chip(null, 'Whole marks', !e.parts, parts(false)), chip(null, 'Parts of lines', e.parts, parts(true))),
      );
      if (e.parts) out.push(stepper('Size', e.size, to(e, 'size'), 4, 4, 60));
      out.push(...clearing());
    },
    pick: () => out.push(...inHand(done)),
    move: () =>
      out.push(el('p', { className: 'hint' }, 'Drag the page. Holding Space does the same with any instrument.')),
  };
  own[name]?.();
  return out.filter(Boolean);
}

// inked shows a pen as a stroke of it.
function inked(q) {
  const i = el('i', { className: 'stroke' });
  Object.assign(i.style, { height: `${Math.max(q.width * 1.4, 1.5)}px`, background: q.color, opacity: q.opacity });
  return i;
}
const nameOf = (q) => q.name ?? ({ 1: 'Fine', 2: 'Circling', 5: 'Broad' }[q.width] || 'Mine');

// snapping lets points go to printed crossings without a key held.
const snapping = (set) =>
  row(
    chip(
      'aid-grid',
      'To printed lines',
      settings.snap,
      set(() => {
        settings.snap = !settings.snap;
      }),
    ),
  );
const clearing = () => [
  row(
    act('bin', 'Clear this page', () => clearMarks(current()?.number)),
    act('bin', 'Clear the whole copy', () => clearMarks()),
  ),
];

function sketch(stamp) {
  const svg = document.createElementNS('http://www.w3.org/2000/svg', 'svg');
  svg.setAttribute('viewBox', `-2 -2 ${stamp.w + 4} ${stamp.h + 4}`);
  for (const s of stamp.inkList) {
    const p = document.createElementNS('http://www.w3.org/2000/svg', 'path'),
      v = s.path;
    p.setAttribute('d', `M${v[0]} ${v[1]}C${v.slice(2).join(' ')}`);
    for (const [k, x] of Object.entries({
      fill: 'none',
      stroke: stamp.color,
      'stroke-width': stamp.width * 1.5,
      'stroke-linecap': 'round',
    }))
      p.setAttribute(k, x);
    svg.append(p);
  }
  return svg;
}

// inHand has what can be done with the things that are picked.
function inHand(done) {
  const all = picked.all,
    one = picked.entry;
  if (!all.length)
    return clipboard.full()
      ? [row(act('paste', 'Paste', () => clipboard.paste()))]
      : [el('p', { className: 'hint' }, 'Press a mark to take it in hand, or draw a loop around several.')];
  if (one?.conflict)
    return [
      el('p', { className: 'hint' }, 'This was made on another device at the same time.'),
      row(act('check', 'Take this one', takeBeside), act('bin', 'Drop it', remove)),
    ];
  if (!all.every(mayChange))
    return [el('p', { className: 'hint' }, one?.mine ? 'You made this.' : `${one?.by ?? 'Somebody else'} made this.`)];
  const out = [],
    kinds = new Set(all.map((e) => e.mark.kind)),
    body = all[0].mark.body,
    again = (f) => (v) => {
      f(v);
      done();
    };
  const has = (key) => all.some((e) => key in e.mark.body);
  if (marks.view.way === 'shared')
    out.push(hint(one?.mine ? 'You made this.' : `${one?.by ?? 'Several people'} made this.`));
  if (kinds.size === 1 && kinds.has('freetext'))
    out.push(
      ...texting(
        lookOf(body),
        again((change) => (change.color ? restyle(change) : retype(change))),
        true,
      ),
    );
  else {
    const washes = [...kinds].every((k) => k === 'highlight'),
      ones = meanings('highlighter').filter(() =>
        [...kinds].some((k) => ['highlight', 'underline', 'strikeout', 'square', 'circle'].includes(k)),
      );
    if (ones.length)
      out.push(
        row(
          ...ones.map((m) =>
            chip(dyed(m.color), `${m.name} (${m.sign})`, body.meaning === m.name, () =>
              again(restyle)({ color: m.color, meaning: m.name, sign: m.sign }),
            ),
          ),
        ),
      );
    if (![...kinds].every((k) => k === 'picture' || k === 'widget'))
      out.push(
        swatches(
          washes ? WASHES : INKS,
          body.meaning ? undefined : (body.color ?? body.lines?.[0]?.runs[0]?.color),
          again((color) => restyle({ color })),
        ),
      );
  }
  if (has('width') && !kinds.has('freetext'))
    out.push(
      stepper(
        'Width',
        all.find((e) => e.mark.body.width)?.mark.body.width ?? 2,
        again((width) => restyle({ width })),
        1,
        0.5,
        40,
      ),
    );
  if (has('opacity'))
    out.push(
      slider(
        'Strength',
        all.find((e) => e.mark.body.opacity)?.mark.body.opacity ?? 1,
        again((opacity) => restyle({ opacity })),
      ),
    );
  if (all.length > 1) out.push(hint(`${all.length} things in hand`));
  out.push(
    one
      ? row(
          act('note', 'Note about it', () => {
            close(); // its card stands there
            noteOn(one);
          }),
        )
      : null,
    row(act('duplicate', 'Double', duplicate), act('copy', 'Copy', clipboard.copy), act('cut', 'Cut', clipboard.cut)),
    row(
      act('front', 'To front', () => order(true)),
      act('behind', 'To back', () => order(false)),
    ),
  );
  if (kinds.has('ink') && kinds.size === 1)
    out.push(
      row(
        act('stamp', 'Keep as a stamp', () => {
          toast(ownStamp(all) ? 'Kept: it is among the stamps now.' : 'That is too much for a stamp.');
          done();
        }),
      ),
    );
  out.push(el('div', { className: 'row last' }, act('bin', 'Delete', remove)));
  return out.filter(Boolean);
}
