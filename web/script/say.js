// say has the instruments that speak: note and voice note. Both begin at a
// place on the page, or on a mark, and are written or recorded in the margin.
// A student may say that somebody helped, let a helper sign, and keep things
// for oneself.

import { core } from './core.js';
import { el, icon } from './paint.js';
import { row, swatches } from './controls.js';
import { round } from './surface.js';
import { newId } from './ids.js';
import { add, layerNow, marks } from './marks.js';
import { instruments } from './pointer.js';
import { INKS, keep as keepSettings, meaning, meanings, mean, settings } from './settings.js';
import { about, arrange, draft, recorder, resume } from './margin.js';
import * as drafts from './drafts.js';
import { formal, typed as typedIn, write } from './prosaic.js';
import { dated } from './dated.js';
import * as pieces from './pieces.js';
import { record, review } from './record.js';
import { look, placeOf, QUOTED, speaksOf } from './spoken.js';

let helped = false; // the next note says that somebody helped

// noteOn begins a note about a mark, beside its end.
export function noteOn(entry) {
  const [, t, r, b] = core.bounds(entry.version) ?? [0, 0, 0, 0];
  instruments.note.leave();
  instruments.note.write(entry.mark.page, { at: [round(r), round((t + b) / 2)], ...speaksOf(entry), ...look() });
}

// noteOnWords begins a note about printed words.
export function noteOnWords(page, { quadPoints: [q], text }) {
  instruments.note.leave();
  instruments.note.write(page, { at: [q[0], q[1]], quote: text.slice(0, QUOTED), ...look() });
}

// asked says what a student's note is, until it is said otherwise: with a
// question mark, a question.
const asked = (text) => (/[?？؟]/.test(text) ? 'ask' : 'work');

instruments.note = {
  tap(p) {
    this.leave();
    this.write(p.sheet.number, placeOf(p));
  },
  // write opens a note at a place, to be written in the margin; typed is what
  // was written of it already, before the screen was left.
  write(page, place, typed) {
    const key = typed?.key ?? newId(),
      help = typed ? !!typed.help : helped && !marks.view.teacher;
    const area = el('textarea', {
      rows: 2,
      'aria-label': help ? 'How they helped' : 'Your note',
      placeholder: help ? 'How did they help?' : 'Write a note',
    });
    write(area, typed);
    const who = help
      ? el('input', {
          className: 'field mb-1',
          'aria-label': 'Who helped you here?',
          placeholder: 'Who helped you here?',
          maxLength: 60,
          value: typed?.who ?? settings.helper ?? '',
        })
      : null;
    const student = !marks.view.teacher && marks.view.way !== 'shared';
    let says = typed?.says ?? ''; // as it was chosen
    const note = () => {
      kinds?.show();
      drafts.keep(
        about(),
        `note/${key}`,
        area.value.trim() || typed
          ? { page, place, help, says, ...typedIn(area), who: who?.value, mode: { ...marks.mode } }
          : null,
      );
    };
    // What a student's note is, and who will read it.
    const kinds =
      student && !help
        ? kindsOf(
            () => says || asked(area.value),
            (v) => {
              says = v;
              note();
              area.focus({ preventScroll: true });
            },
          )
        : null;
    const keep = (layer) => {
      if (this.open !== keep) return;
      this.open = null;
      const { text, rich } = typedIn(area),
        name = who?.value.trim();
      drafts.drop(about(), `note/${key}`);
      end();
      if (help && name) add('note', page, { ...place, help: name, text: text || `${name} helped me here.` });
      else if (text)
        add(
          'note',
          page,
          {
            ...place,
            text,
            ...(rich ? { rich } : {}),
            ...(kinds && !marks.mode.own ? { says: says || asked(text) } : {}),
          },
          layer && { layer },
        );
      helped = false;
    };
    const end = draft(
      key,
      page,
      place.at,
      help ? el('div', { className: 'by' }, icon('hands'), 'Someone helped me here') : null,
      place.quote ? el('blockquote', {}, place.quote) : null,
      who,
      area,
      kinds?.box,
      el('div', { className: 'under' }, readers(help), formal(area, arrange)),
      el(
        'div',
        { className: 'tools' },
        el('button', { className: 'button dark', on: { click: () => keep() } }, marks.view.watch ? 'Send' : 'Keep'),
        marks.view.teacher && !marks.view.watch
          ? el('button', { className: 'button', on: { click: () => keep('replies') } }, 'Send now')
          : null,
        el(
          'button',
          {
            className: 'button quiet',
            on: {
              click: () => {
                area.value = '';
                if (who) who.value = '';
                keep();
              },
            },
          },
          'Drop',
        ),
      ),
    );
    // A ready remark that is spoken takes the place of what is being written.
    area.speaks = (voice, words) => {
      if (this.open !== keep) return;
      this.open = null;
      drafts.drop(about(), `note/${key}`);
      end();
      add('note', page, { ...place, voice, text: words });
    };
    this.open = keep;
    for (const f of [area, who].filter(Boolean)) {
      f.addEventListener('input', note);
      f.addEventListener('keydown', (e) => {
        if (e.key === 'Escape' || (e.key === 'Enter' && (e.ctrlKey || e.metaKey))) {
          e.preventDefault();
          keep();
        }
      });
    }
    if (!typed) (who ?? area).focus({ preventScroll: true });
  },
  leave() {
    this.open?.();
  },
  // again shows the notes that were being written when the screen was left.
  again() {
    for (const [key, d] of drafts.at(about(), 'note/')) {
      Object.assign(marks.mode, d.mode);
      this.leave();
      this.write(d.page, d.place, { key, ...d });
    }
    band();
  },
};

// kindsOf has what a student's note can be, to be chosen from.
function kindsOf(now, choose) {
  const box = el('div', { className: 'says', role: 'radiogroup', 'aria-label': 'What it is' });
  const show = () => {
    const on = marks.mode.own ? 'own' : now();
    box.replaceChildren(
      ...Object.entries({ ask: 'I ask', work: 'Part of my work', own: 'Only for me' }).map(([k, words]) =>
        el(
          'button',
          {
            role: 'radio',
            'aria-checked': String(k === on),
            on: {
              click: () => {
                marks.mode.own = k === 'own';
                band();
                choose(k === 'own' ? '' : k);
                for (const p of box.parentElement.querySelectorAll('.readers')) p.replaceWith(readers(false));
              },
            },
          },
          words,
        ),
      ),
    );
  };
  show();
  return { box, show };
}

// readers says who will read what is being written.
function readers(help) {
  const { teacher, way, student } = marks.view;
  const who = teacher
    ? marks.view.watch
      ? `${student} reads it at once.`
      : `${student || 'The student'} reads it once you return the copy, or at once when you send it now.`
    : marks.mode.own
      ? 'Only you will read it.'
      : way === 'shared'
        ? 'Everybody on this sheet will read it.'
        : `Your teacher will read it${help ? ', and who helped' : ''}.`;
  return el('p', { className: 'hint readers' }, who);
}

instruments.voice = {
  async tap(p) {
    if (this.busy) return;
    const { sheet } = p;
    this.speak(sheet.number, placeOf(p), layerNow());
  },
  // speak records a note at a place, or goes on with one that was broken off, or spoken
  // already; words are what it says.
  speak(page, place, layer, broken, words) {
    const body = el('div'),
      end = draft(newId(), page, place.at, body);
    const finish = () => {
      this.busy = null;
      end();
    };
    const keep = (voice) => {
      finish();
      add('note', page, { ...place, voice, ...(words ? { text: words } : {}) }, { layer });
    };
    const of = { ...recorder(layer), about: { thing: about(), kind: 'note', page, place, layer } };
    new ResizeObserver(arrange).observe(body);
    this.busy = finish;
    if (broken) review(body, of, broken, finish, keep);
    else record(body, of, finish, keep);
  },
  // again shows what was being recorded when the browser went.
  async again() {
    const all = await pieces.broken(marks.view.person, about());
    for (const r of all)
      r.said = `Broken off ${dated(r.at, marks.view.zone, 'short')}. It is here up to the last second or two.`;
    for (const r of all.filter((o) => o.about.kind === 'note'))
      this.speak(r.about.page, r.about.place, r.about.layer, r);
    resume(all.filter((o) => o.about.kind === 'reply'));
  },
};

// What was dictated is kept as a note, once it was listened to.
document.addEventListener('keep-spoken', (e) => {
  const { page, at, blob, peaks, text } = /** @type {CustomEvent} */ (e).detail;
  instruments.voice.busy?.();
  instruments.voice.speak(
    page,
    { at, ...look() },
    layerNow(),
    { id: newId(), blob, peaks, said: 'What you spoke' },
    text,
  );
});

// saying has what stands in the popover of Say, beside its instruments.
export function saying(done) {
  const chip = (sign, words, on, run) =>
    el(
      'button',
      {
        className: 'kind',
        'aria-pressed': String(on),
        on: {
          click: () => {
            run();
            done();
          },
        },
      },
      icon(sign),
      words,
    );
  const colored = (change) => () => {
    change();
    keepSettings();
    done();
  };
  const now = meaning('note');
  const dots = [
    meanings('note').length
      ? row(
          ...meanings('note').map((m) =>
            chip('note', `${m.name} (${m.sign})`, m === now, () => {
              mean('note', m);
              keepSettings();
            }),
          ),
        )
      : null,
    swatches({ 'As usual': '', ...INKS }, now ? undefined : settings.note.color, (value) =>
      colored(() => Object.assign(settings.note, { color: value, meaning: '' }))(),
    ),
  ].filter(Boolean);
  if (marks.view.teacher || marks.view.way === 'shared') return dots;
  const out = [
    row(
      chip('note', 'To your teacher', !marks.mode.own, () => {
        marks.mode.own = false;
        band();
      }),
      chip('held', 'Only for me', marks.mode.own, () => {
        marks.mode.own = true;
        band();
      }),
    ),
    row(
      chip('hands', 'Someone helped me here', helped, () => {
        helped = !helped;
      }),
    ),
  ];
  if (helped) out.push(el('p', { className: 'hint' }, 'Now press the place on the page.'));
  const name = el('input', {
    className: 'field',
    maxLength: 60,
    placeholder: 'Who is helping?',
    'aria-label': 'Who is helping?',
    value: marks.mode.helper,
  });
  out.push(
    ...dots,
    row(el('span', { className: 'hint' }, 'Helping hand: what is added is signed by')),
    row(
      name,
      chip('check', marks.mode.helper ? 'Stop helping' : 'Begin', !!marks.mode.helper, () => {
        marks.mode.helper = marks.mode.helper ? '' : name.value.trim();
        band();
      }),
    ),
  );
  return out;
}

// band says in whose name things are added now, as long as that is not as usual.
export function band() {
  document.querySelector('[data-mode]')?.remove();
  const { own, helper } = marks.mode;
  if (!own && !helper) return;
  const words = [
    helper ? `${helper} is helping: what is added now is signed.` : '',
    own ? 'Only for you: what you add now is never handed in.' : '',
  ]
    .filter(Boolean)
    .join(' ');
  document.querySelector('[data-desk]').before(
    el(
      'div',
      { className: 'mode', role: 'status', data: { mode: '' } },
      icon(helper ? 'hands' : 'held'),
      el('span', {}, words),
      el(
        'button',
        {
          className: 'button quiet',
          on: {
            click: () => {
              Object.assign(marks.mode, { own: false, helper: '' });
              band();
            },
          },
        },
        'Stop',
      ),
    ),
  );
}
