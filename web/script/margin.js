// margin holds notes level with the places they speak about. Notes push each
// other down; the one in hand takes its exact place and has a leader line.

import { core } from './core.js';
import { el, icon, node } from './paint.js';
import { at, goTo, pixels, sheetOf, surface } from './surface.js';
import { add, find, marks, set, together as atOnce } from './marks.js';
import { tasks } from './blanks.js';
import { clip, clockOf } from './clip.js';
import { follow } from './heard.js';
import * as drafts from './drafts.js';
import { swatches } from './controls.js';
import { INKS } from './settings.js';
import { placeOf } from './spoken.js';
import { record, review } from './record.js';
import { ofVoice, play, soundAt } from './talk.js';
import { bare, formal, typed, words, write } from './prosaic.js';
import { ask } from './net.js';
import { toast } from './toast.js';

const margin = document.querySelector('[data-margin]'),
  notes = margin.querySelector('[data-notes]'),
  popover = document.querySelector('[data-popover]');
const leaders = document.querySelector('[data-leaders]'),
  screen = document.querySelector('[data-screen]');
let threads = [],
  cardOf = new Map(),
  markers = new Map(),
  active = null,
  signature = '';
const written = new Map(); // cards being written, by their key: {page, place, card}
export const about = () => `copy/${marks.view.copy}`; // what drafts of this screen are about

// what replies name that are about the copy as a whole
const WHOLE = 'the-whole-copy';
let whole = []; // these, the oldest first
const ofAll = { remarks: [{ id: WHOLE }], page: 1 }; // the conversation that they are
const named = (t) => (t.number ? `note ${t.number}` : 'what was said of the whole copy');

// people are those who may be asked about this copy, once anybody is.
let people = null,
  peopleOf = 0;
async function asked() {
  const { copy } = marks.view;
  if (peopleOf !== copy) {
    peopleOf = copy;
    people = ask(`/copies/${copy}/colleagues`).catch((e) => {
      peopleOf = 0;
      throw e;
    });
  }
  return people;
}

const teacherSaid = (t) => t.remarks[0].layer.startsWith('feedback') || t.remarks[0].layer === 'sheet';

// gather rebuilds the cards when what was said has changed.
export function gather() {
  const all = [...marks.shown.values()]
    .filter((e) => e.mark.kind === 'note' || e.mark.kind === 'reply')
    .map((e) => ({
      mark: e.mark,
      remark: { version: e.version, layer: e.layer, author: e.by, mine: e.mine, sent: e.sent, at: e.at },
    }));
  const now = JSON.stringify([all, all.map((s) => s.mark.body.on && find(s.mark.body.on)?.version)]); // and what they speak about
  if (now === signature && cardOf.size + written.size) {
    arrange();
    return;
  }
  const focused = /** @type {any} */ (document.activeElement);
  if (focused?.closest('.said-note') && (focused.of ?? focused).value) {
    arrange();
    return;
  } // what is typed there is not taken away
  const of = focused?.closest('[data-note]')?.dataset.note,
    called = calledAs(focused);
  signature = now;
  ({ threads, whole } = core.threads(all));
  for (const m of markers.values()) m.remove();
  cardOf = new Map();
  markers = new Map();
  const empty = marks.view.teacher
    ? 'Notes you leave on the sheet stand here, level with their places.'
    : marks.view.returnedAt
      ? 'No notes on this copy.'
      : '';
  notes.replaceChildren(...(threads.length || written.size || !empty ? [] : [el('p', { className: 'empty' }, empty)]));
  for (const t of threads) {
    const key = t.remarks[0].id;
    cardOf.set(key, card(t, key));
    markers.set(key, marker(t, key));
    notes.append(cardOf.get(key));
  }
  for (const d of written.values()) notes.append(d.card);
  if (asking && !threads.some((t) => t.remarks[0].id === asking.id && mayAsk(t.remarks[0]))) stopAsking();
  showWhole();
  arrange();
  giveBack(focused, of, called);
  announce();
  document.dispatchEvent(new Event('said'));
}

const calledAs = (e) => e?.ariaLabel || e?.textContent.trim();

// giveBack gives the focus that a control had whose card was drawn anew to the same one
// in its place, or to the card.
function giveBack(had, of, called) {
  const fresh = cardOf.get(of);
  if (!fresh || had.isConnected) return;
  const same = [...fresh.querySelectorAll('button, a, textarea, input')].find((e) => calledAs(e) === called);
  (same ?? fresh).focus({ preventScroll: true });
}

// announce says that somebody has answered while the copy was open, and leads there.
let knownOf = '', // the copy and attempt whose remarks are known
  known = new Set();
function announce() {
  const said = threads.flatMap((t) => t.remarks.filter((r) => !r.mine).map((r) => [t, r])),
    of = `${marks.view.copy} ${marks.view.attempt}`,
    fresh = knownOf === of ? said.filter(([, r]) => !known.has(r.id)) : [];
  knownOf = of;
  known = new Set(said.map(([, r]) => r.id));
  const [t, r] = fresh.at(-1) ?? [];
  if (r && ['replies', 'among'].includes(r.layer))
    toast(`${r.author} ${t.remarks[0] === r ? 'has a note for you' : 'has answered'}.`, {
      act: ['Show', () => show(t.remarks[0].id)],
    });
}

// showWhole shows in the margin's head what was said of the copy as a whole, and
// where to say more.
export function showWhole() {
  const box = document.querySelector('[data-whole]');
  if (!box) return;
  const { view } = marks,
    others = whole.some((r) => !r.mine) || (view.teacher ? view.line : view.returnedAt);
  box.replaceChildren(...whole.map((r) => remark(ofAll, r, 1)));
  if (!view.say || view.asked || view.watch) return;
  if (others) box.append(answer(ofAll));
  else if (view.teacher) {
    const speak = el(
      'button',
      { className: 'button quiet', on: { click: () => spoken(ofAll, form) } },
      icon('voice'),
      'Speak the overall remark',
    );
    const form = el('div', { className: 'answer' }, speak);
    box.append(form);
  }
}

// said gives what teachers said on the copy: of the whole, and then in the order of
// the sheet.
export const said = () => [
  ...whole.filter((r) => r.voice && r.layer.startsWith('feedback')).map((r) => ({ remarks: [r], page: 0 })),
  ...remarks(),
];
const remarks = () => threads.filter((t) => t.remarks[0].layer !== 'sheet' && teacherSaid(t) && !t.done);

function marker(t, key) {
  const b = el(
    'button',
    {
      className: `marker ${teacherSaid(t) ? 'teacher' : ''}`,
      'aria-label': `Note ${t.number}`,
      on: {
        click: () => {
          screen.classList.add('notes-open');
          activate(key);
          cardOf.get(key)?.querySelector('textarea, .go')?.focus({ preventScroll: true });
        },
      },
    },
    String(t.number),
  );
  if (t.remarks[0].color) b.style.background = t.remarks[0].color;
  sheetOf(t.page)?.box.append(b);
  return b;
}

function card(t, key) {
  const box = el('article', {
    className: ['said-note', teacherSaid(t) && 'teacher', t.done && 'done', asks(t) && 'asks']
      .filter(Boolean)
      .join(' '),
    data: { note: key },
    tabIndex: -1,
    on: { pointerenter: () => hover(key), focusin: () => pressed || activate(key), click: () => activate(key) },
  });
  t.remarks.forEach((r, i) => {
    box.append(remark(t, r, i));
    if (i) return;
    if (t.gone) box.append(el('p', { className: 'hint' }, 'What this was about is not there any more.'));
    if (t.quote) box.querySelector('.by').after(el('blockquote', {}, t.quote));
  });
  const direction = t.remarks[0].layer === 'sheet'; // said to everybody, so there is nobody to answer
  if (t.done) box.append(settledBy(t));
  else if (marks.view.say === 'work' && marks.view.way === 'shared') box.append(answer(t));
  else if (marks.view.say && !direction && t.remarks.some((r) => !r.mine)) box.append(answer(t));
  return box;
}

// asks says whether a student's question waits for an answer.
const asks = (t) =>
  t.remarks[0].says === 'ask' && !t.done && !t.remarks.slice(1).some((r) => r.author !== t.remarks[0].author);

// settledBy closes a folded note: who settled it, and opening it again.
function settledBy(t) {
  const { done } = t,
    mine = done.mine && [marks.view.say, marks.view.edit].includes(done.layer);
  return el(
    'div',
    { className: 'settled' },
    icon('check'),
    `Done · ${done.mine ? 'you' : done.author}`,
    mine
      ? el(
          'button',
          { className: 'button quiet', on: { click: () => set(done.id, null, { layer: done.layer }) } },
          'Open again',
        )
      : null,
  );
}

// A card that is pressed takes its place once it is let go of: it does not move away
// under the hand.
let pressed = false;
// By touch the focus comes after the finger has gone, with the browser's own mouse events.
let letGo = 0;
const AFTER = 400; // milliseconds
margin.addEventListener(
  'pointerdown',
  () => {
    clearTimeout(letGo);
    pressed = true;
  },
  true,
);
for (const e of ['pointerup', 'pointercancel'])
  window.addEventListener(
    e,
    (/** @type {any} */ { pointerType }) => {
      clearTimeout(letGo);
      letGo = setTimeout(() => (pressed = false), pointerType === 'touch' ? AFTER : 0);
    },
    true,
  );

const clock = (at) => new Date(at).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit', hour12: false });

function remark(t, r, i) {
  const who = r.helper ? `${r.helper}, helping` : r.mine ? 'You' : r.author;
  const unsent = marks.view.teacher && !r.sent && r.layer.startsWith('feedback') ? ' · not returned yet' : '';
  const only = { own: ' · only for you', among: ' · among teachers' }[r.layer] ?? '',
    says = r.says === 'ask' ? (r.layer === 'replies' ? ' · asks now' : ' · asks') : '',
    means = !i && t.meaning ? ` · ${t.meaning}` : '';
  const box = el(
    'div',
    { className: `${i ? 'answer' : ''} ${r.helper ? 'helping' : ''}` },
    el(
      'div',
      { className: 'by' },
      i ? null : el('b', {}, String(t.number)),
      r.voice ? icon('voice') : r.help ? icon('hands') : null,
      r.layer === 'sheet'
        ? who
        : `${who}${r.at.startsWith('0001') ? '' : ` · ${clock(r.at)}`}${says}${means}${only}${unsent}`,
    ),
  );
  if (r.asks) {
    const whom = el('p', { className: 'hint' }, 'Asks somebody of the course');
    box.append(whom);
    asked()
      .then((all) => {
        const one = all.find((a) => a.id === r.asks);
        if (one) whom.textContent = `Asks ${one.me ? 'you' : one.name}`;
      })
      .catch(() => {});
  }
  if (r.help) box.append(el('p', { className: 'font-semibold' }, `Helped by ${r.help}`));
  if (r.voice && r.layer === 'sheet' && (r.voice.times || r.voice.written)) box.append(...counted(r));
  if (r.voice && !(r.voice.times && countsHere())) {
    const { peaks, ms, trail } = r.voice;
    const through =
      trail &&
      (() => play(ofVoice(r, named(t), { mayKeep: r.mine && r.layer === marks.view.edit, follows: followed(r) })));
    const player = clip(soundAt(r), peaks, ms, [0, ms], through || undefined);
    followed(r)?.(player.audio);
    box.append(player.box);
    const to = marks.view.heard?.[r.id];
    if (to && marks.view.teacher)
      box.append(el('p', { className: 'hint' }, `${marks.view.student} has heard it to ${clockOf(to)}`));
    if (trail) box.append(el('p', { className: 'hint' }, 'Points and draws on the page while it plays'));
  }
  if (r.text) {
    box.append(words(r.text, r.rich, arrange));
    box.querySelector('.by').append(
      el(
        'button',
        {
          className: 'aloud',
          'aria-label': `Listen to ${i ? 'this answer' : named(t)}`,
          title: 'Listen',
          data: { aloud: bare(r.text, r.rich) },
        },
        icon('listen'),
      ),
    );
  }
  if (!i && asking?.id === r.id) box.append(goesAlong(t, r));
  else if (r.mine && mayChange(r)) {
    const tools = el('div', { className: 'tools' });
    tools.append(
      el(
        'button',
        {
          className: 'button quiet',
          on: {
            click: () => {
              rewrite(t, r, box).focus();
              arrange();
            },
          },
        },
        r.voice ? (r.text ? 'Change its words' : 'Type its words') : 'Change',
      ),
    );
    if (r.voice && marks.view.teacher && !marks.view.watch)
      tools.append(
        el(
          'button',
          { className: 'button quiet', data: { keepVoice: r.voice.sound, says: bare(r.text ?? '', r.rich) } },
          'Keep for other copies',
        ),
      );
    if (!i && r.layer !== 'replies')
      tools.append(el('button', { className: 'button quiet', on: { click: () => moveNote(t, r) } }, 'Move'));
    if (!i && mayAsk(r))
      tools.prepend(el('button', { className: 'button dark', on: { click: () => askNow(t, r) } }, 'Ask it now'));
    if (!i && marks.view.asks && r.layer === 'replies' && t.remarks.every((o) => o.mine))
      tools.prepend(el('button', { className: 'button', on: { click: () => takeBack(r) } }, 'Take it back'));
    tools.append(
      el(
        'button',
        {
          className: 'button quiet',
          'aria-label': 'Delete this note',
          on: { click: () => set(r.id, null, { layer: r.layer }) },
        },
        icon('bin'),
      ),
    );
    box.append(tools);
    if (changing.has(r.id) || drafts.of(about(), `change/${r.id}`) !== null) rewrite(t, r, box); // it is being changed
  }
  return box;
}

// mayChange says whether what somebody said themselves can be changed now.
const mayChange = (r) => {
  const { edit, say, asks } = marks.view;
  if (r.layer === 'replies') return say === 'replies' || asks || marks.view.teacher;
  return r.layer === edit || r.layer === say || r.layer === 'own' || (r.layer === 'among' && marks.view.teacher);
};

// mayAsk says whether a note can be asked before the copy is submitted.
const mayAsk = (r) => marks.view.asks && r.layer === 'work' && r.mine && (r.says === 'ask' || r.voice);

// askNow shows what goes along with a question that is sent before the copy is submitted.
let asking = null; // the question that it is shown for, and its outline on the page
function askNow(t, r) {
  stopAsking();
  const z = pixels(),
    { around } = marks.view,
    patch = el('div', { className: 'around' });
  Object.assign(patch.style, { top: `${(t.place[1] - around) * z}px`, height: `${2 * around * z}px` });
  sheetOf(t.page).box.append(patch);
  asking = { id: r.id, patch };
  redraw(r.id)?.querySelector('.tools .dark').focus({ preventScroll: true });
}

function stopAsking() {
  asking?.patch.remove();
  asking = null;
}

// redraw draws one card anew, with what holds now.
function redraw(key) {
  const t = threads.find((one) => one.remarks[0].id === key);
  if (!t) return null;
  const fresh = card(t, key);
  cardOf.get(key).replaceWith(fresh);
  cardOf.set(key, fresh);
  arrange();
  return fresh;
}

const goesAlong = (t, r) =>
  el(
    'div',
    { className: 'tools' },
    el(
      'p',
      { className: 'hint w-full' },
      'Your teacher gets this question at once, with what stands in the outlined part of the page, and nothing else of your copy.',
    ),
    el(
      'button',
      {
        className: 'button dark',
        on: {
          click: () => {
            stopAsking();
            carry(r, 'replies');
            toast('Your teacher has the question now.');
          },
        },
      },
      'Send it',
    ),
    el(
      'button',
      {
        className: 'button',
        on: {
          click: () => {
            stopAsking();
            redraw(r.id)?.querySelector('.tools .dark').focus({ preventScroll: true });
          },
        },
      },
      'Not yet',
    ),
  );

// carry takes a note of one's own to another layer, as it is.
function carry(r, layer) {
  const entry = find(r.id);
  if (!entry) return;
  atOnce(() => {
    set(r.id, null, { layer: r.layer });
    add('note', entry.mark.page, { ...entry.mark.body, says: 'ask' }, { layer });
  });
}
const takeBack = (r) => carry(r, 'work');

// followed gives what follows how far a student hears what a teacher said.
export const followed = (r) =>
  !marks.view.teacher && r.layer.startsWith('feedback')
    ? (audio) => follow(audio, { copy: marks.view.copy, attempt: marks.view.feedback, remark: r.id })
    : null;

// countsHere says whether sounds that may be heard so often are counted here: for
// students on a copy.
const countsHere = () => !marks.view.teacher && !marks.view.trial;

// counted has what is special of a sound laid on the sheet: how often it may be heard,
// and its words for those who cannot hear it.
function counted(r) {
  const { times, written, words: says, ms } = r.voice,
    of = marks.view.hearings?.[r.id] ?? {},
    out = [];
  if (!countsHere()) {
    if (times)
      out.push(
        el(
          'p',
          { className: 'hint' },
          marks.view.teacher
            ? `Heard ${of.times ?? 0} of ${times} times${of.words ? ', and its words were read' : ''}`
            : `May be heard ${times === 1 ? 'once' : `${times} times`}`,
        ),
      );
    if (says) out.push(el('details', {}, el('summary', { className: 'hint' }, 'What it says'), el('p', {}, says)));
    return out;
  }
  if (times) {
    let left = times - (of.times ?? 0);
    const says = el('span', { role: 'status' }),
      go = el('button', { className: 'button', on: { click: hear } }, icon('play'), 'Listen'),
      time = el('time', {}, clockOf(ms));
    let audio = null;
    const show = () => {
      says.textContent = left > 0 ? `${left === 1 ? 'Once' : `${left} times`} more` : 'Heard as often as it may be';
      go.disabled = !audio && left < 1;
      go.replaceChildren(
        icon(audio && !audio.paused ? 'pause' : 'play'),
        audio ? (audio.paused ? 'Go on' : 'Rest') : 'Listen',
      );
      time.textContent = audio ? `${clockOf(audio.currentTime * 1000)} of ${clockOf(ms)}` : clockOf(ms);
    };
    async function hear() {
      if (audio) {
        if (audio.paused) audio.play().catch(() => {});
        else audio.pause();
        return;
      }
      try {
        const begun = await ask(`/copies/${marks.view.copy}/hearings/${r.id}`, { method: 'POST' });
        left = begun.left;
        marks.view.hearings = { ...marks.view.hearings, [r.id]: { ...of, times: times - left } };
        audio = new Audio(`/copies/${marks.view.copy}/hearings/${begun.token}`);
        for (const e of ['play', 'pause', 'timeupdate']) audio.addEventListener(e, show);
        audio.addEventListener('ended', () => {
          audio = null;
          show();
        });
        await audio.play();
      } catch (e) {
        audio = null;
        toast(e.message);
      }
      show();
    }
    show();
    out.push(el('div', { className: 'counted' }, go, time, says));
  }
  if (written) {
    const press = el(
      'button',
      {
        className: 'button quiet',
        on: {
          click: async () => {
            try {
              const { words: told } = await ask(`/copies/${marks.view.copy}/hearings/${r.id}/words`, {
                method: 'POST',
              });
              press.replaceWith(el('p', { className: 'told', tabIndex: -1 }, told));
            } catch (e) {
              toast(e.message);
            }
            arrange();
          },
        },
      },
      'I cannot hear it: show its words',
    );
    out.push(press, el('p', { className: 'hint' }, 'Your teacher sees when you have read them.'));
  }
  return out;
}

// moveNote takes a note to the place that is pressed next, with its answers.
function moveNote(t, r) {
  toast('Press the place where the note is to stand.');
  const stop = () => {
    surface.desk.removeEventListener('pointerdown', put, true);
    document.removeEventListener('keydown', leave, true);
  };
  const leave = (e) => {
    if (e.key !== 'Escape') return;
    e.stopPropagation();
    stop();
  };
  const put = (e) => {
    const p = at(e),
      entry = find(r.id);
    if (!p || !entry) return;
    e.preventDefault();
    e.stopPropagation();
    stop();
    const { on, from, quote, ...body } = entry.mark.body;
    set(r.id, { ...entry.mark, page: p.sheet.number, body: { ...body, ...placeOf(p) } }, { layer: r.layer });
    activate(r.id);
  };
  surface.desk.addEventListener('pointerdown', put, true);
  document.addEventListener('keydown', leave, true);
}

// rewrite lets a note be changed, or the words of a recording be typed.
const changing = new Map(); // what is open, by the remark: {area, told}
function rewrite(t, r, box) {
  const place = `change/${r.id}`;
  const area = el('textarea', {
    'aria-label': r.voice ? 'What it says, for those who cannot hear' : 'Your note',
    placeholder: r.voice ? 'What it says, for those who cannot hear' : '',
  });
  write(area, drafts.of(about(), place) ?? r);
  const done = () => {
    const now = typed(area),
      entry = find(r.id);
    area.value = '';
    drafts.drop(about(), place);
    changing.delete(r.id);
    if (!entry) return;
    const { rich: _, text: __, ...body } = entry.mark.body;
    if (!now.text && !r.voice) set(r.id, null, { layer: r.layer });
    else if (now.text !== (r.text ?? '') || !!now.rich !== !!r.rich)
      set(r.id, { ...entry.mark, body: { ...body, ...(now.text ? now : {}) } }, { layer: r.layer });
    signature = '';
    gather();
  };
  const first = t.remarks[0].id === r.id;
  const told = el(
    'p',
    { className: 'hint', role: 'status' },
    listening.has(r.id) ? LISTENS : (changing.get(r.id)?.told.textContent ?? ''),
  );
  const listen =
    r.voice && marks.view.recognises
      ? el('button', { className: 'button', on: { click: () => writeDown(r) } }, 'Write it down for me')
      : null;
  changing.set(r.id, { area, told });
  box.replaceChildren(
    area,
    told,
    first
      ? swatches({ 'As usual': '', ...INKS }, r.color ?? '', (color) => {
          const entry = find(r.id),
            { color: _, meaning, sign, ...body } = entry.mark.body;
          set(r.id, { ...entry.mark, body: { ...body, ...(color ? { color } : {}) } }, { layer: r.layer });
        })
      : '',
    el(
      'div',
      { className: 'tools' },
      el('button', { className: 'button', on: { click: done } }, 'Keep'),
      listen,
      formal(area, arrange),
    ),
  );
  area.addEventListener('input', () => drafts.keep(about(), place, area.value === (r.text ?? '') ? null : typed(area)));
  area.addEventListener('keydown', (e) => {
    if (e.key === 'Enter' && (e.ctrlKey || e.metaKey)) done();
  });
  return area;
}

// writeDown has a program write down what is said in a recording. That may take as long as
// the recording: what comes is put behind what is typed, whether or not it is still open.
const LISTENS = 'Listening to it. You can go on meanwhile.';
const listening = new Set(); // the remarks that somebody listens to
async function writeDown(r) {
  const { copy } = marks.view,
    screen = about(),
    place = `change/${r.id}`,
    tell = (words) => {
      const open = changing.get(r.id);
      if (!open?.area.isConnected) return;
      open.told.textContent = words;
      arrange();
    };
  if (listening.has(r.id)) return;
  listening.add(r.id);
  tell(LISTENS);
  try {
    const text = await heardIn(`/copies/${copy}/sounds/${r.voice.sound}/words`, tell),
      open = changing.get(r.id),
      said = open?.area.isConnected ? typed(open.area) : (drafts.of(screen, place) ?? { text: r.text, rich: r.rich });
    listening.delete(r.id);
    if (!text) return tell('No words were heard.');
    const all = { ...said, text: [said.text, text].filter(Boolean).join(' ') };
    drafts.keep(screen, place, all);
    if (open?.area.isConnected) write(open.area, all);
    else if (screen === about()) {
      signature = '';
      gather(); // it is opened with what was heard
    }
    tell('Look it over: what is not certain stands in brackets.');
  } catch (e) {
    listening.delete(r.id);
    tell(e.message);
  }
}

// heardIn asks until what is said in a sound is written down, also where the line goes
// meanwhile.
async function heardIn(path, tell) {
  for (let wait = 400; ; wait = Math.min(1.5 * wait, 4000)) {
    try {
      const { text } = await ask(path, { method: 'POST' });
      if (text !== undefined) return text;
      tell(LISTENS);
    } catch (e) {
      if (e.status) throw e;
      tell('There is no line. It goes on once there is one.');
    }
    await new Promise((done) => setTimeout(done, wait));
  }
}

function answer(t) {
  const place = `reply/${t.remarks[0].id}`,
    layer = layerOf(t);
  const area = el('textarea', {
    rows: 1,
    placeholder: 'Reply',
    'aria-label': `Reply to ${named(t)}`,
  });
  write(area, drafts.of(about(), place) ?? {});
  // tell sends what is typed, and more, where it goes.
  const tell = (more, into) => {
    const said = typed(area);
    area.value = '';
    area.blur();
    drafts.drop(about(), place);
    add('reply', t.page, { to: t.remarks[0].id, ...said, ...more }, { layer: into });
  };
  const send = el(
    'button',
    {
      className: 'button',
      hidden: !area.value,
      on: {
        click: () => typed(area).text && tell({}, layer),
      },
    },
    'Send',
  );
  if (layer.startsWith('feedback')) send.textContent = 'Keep';
  area.addEventListener('input', () => {
    send.hidden = form.hidden = !area.value.trim();
    if (amongst) amongst.hidden = send.hidden;
    drafts.keep(about(), place, area.value.trim() ? typed(area) : null);
    arrange();
  });
  area.addEventListener('keydown', (e) => {
    if (e.key === 'Enter' && (e.ctrlKey || e.metaKey)) send.click();
  });
  const form = formal(area, arrange),
    speak = el(
      'button',
      {
        className: 'button quiet',
        'aria-label': `Speak a reply to ${named(t)}`,
        on: { click: () => spoken(t, box) },
      },
      icon('voice'),
      'Speak',
    );
  const settle = t.number
    ? el(
        'button',
        {
          className: 'button quiet',
          'aria-label': `Note ${t.number} is done`,
          on: { click: () => add('reply', t.page, { to: t.remarks[0].id, done: true }, { layer }) },
        },
        icon('check'),
        'Done',
      )
    : null;
  // What colleagues ask each other no student sees, and neither what is answered to that.
  const colleague = t.remarks.findLast((r) => r.layer === 'among' && !r.mine);
  const amongst =
    colleague &&
    el(
      'button',
      { className: 'button', hidden: send.hidden, on: { click: () => tell({}, 'among') } },
      `Only to ${colleague.author}`,
    );
  const consult =
    t.number && (marks.view.teacher || marks.view.way === 'shared')
      ? el(
          'button',
          {
            className: 'button quiet',
            'aria-label': `Ask ${marks.view.teacher ? 'a colleague' : 'somebody'} about note ${t.number}`,
            on: { click: () => whom(box, (asks) => tell({ asks }, marks.view.teacher ? 'among' : layer)) },
          },
          icon('hands'),
          marks.view.teacher ? 'Ask a colleague' : 'Ask somebody',
        )
      : null;
  form.hidden = send.hidden;
  const box = el(
    'div',
    { className: 'answer' },
    area,
    el('div', { className: 'tools' }, send, amongst || null, speak, settle, consult, form),
  );
  return box;
}

// layerOf is where what is answered to a conversation goes: what was asked or said at
// once is answered at once.
const layerOf = (t) => (t.remarks[0].layer === 'replies' ? 'replies' : marks.view.say);

// whom offers the names of those who may be asked, and asks the one who is pressed.
async function whom(box, tell) {
  box.querySelector('.names')?.remove();
  let all;
  try {
    all = (await asked()).filter((one) => !one.me);
  } catch (e) {
    toast(e.message);
    return;
  }
  const list = el(
    'div',
    { className: 'names tools', role: 'group', 'aria-label': 'Whom to ask' },
    ...all.map((one) => el('button', { className: 'button', on: { click: () => tell(one.id) } }, one.name)),
    all.length ? null : el('p', { className: 'hint' }, 'Nobody else marks in this course.'),
  );
  box.append(list);
  arrange();
  list.querySelector('button')?.focus({ preventScroll: true });
}

// spoken answers a note by voice, in the place of the field; with a recording that was
// broken off, it goes on from that.
function spoken(t, box, broken) {
  const stood = [...box.childNodes],
    layer = layerOf(t),
    body = el('div'),
    back = () => {
      box.replaceChildren(...stood);
      arrange();
    };
  const of = {
    ...recorder(layer),
    name: 'Spoken reply',
    about: { thing: about(), kind: 'reply', reply: t.remarks[0].id },
  };
  const keep = (voice) => {
    back();
    add('reply', t.page, { to: t.remarks[0].id, voice }, { layer });
  };
  box.replaceChildren(body);
  new ResizeObserver(arrange).observe(body);
  if (broken) review(body, of, broken, back, keep);
  else record(body, of, back, keep);
}

// recorder is what the recorder needs to know of this copy.
export const recorder = (layer) => ({
  seconds: marks.view.writes ? 1200 : marks.view.voice,
  person: marks.view.person,
  to: marks.view.writes
    ? `/worksheets/${marks.view.writes}/spoken`
    : `/copies/${marks.view.copy}/sounds?layer=${layer}`,
  shows: true,
});

// resume shows the recordings of answers that were broken off.
export function resume(broken) {
  for (const r of broken) {
    const to = r.about.reply,
      t = to === WHOLE ? ofAll : threads.find((one) => one.remarks[0].id === to),
      card = to === WHOLE ? document.querySelector('[data-whole]') : cardOf.get(to),
      box = t && card?.querySelector('.answer:last-child');
    if (box) spoken(t, box, r);
  }
}

// only are the meanings that alone are shown, on a copy that is to keep; none for all.
const only = new Set();
function alone() {
  for (const e of marks.shown.values())
    for (const g of Object.values(e.groups ?? {}))
      g?.classList?.toggle('unshown', only.size > 0 && !only.has(e.mark.body.meaning));
}

// count says how often each meaning of the colour key stands on the copy, over
// all kinds of marks, and how many marks there are of those a question asks for.
export function count() {
  const box = margin.querySelector('[data-key-count]'),
    key = marks.view.key ?? [];
  const used = [...marks.shown.values()]
    .filter((e) => e.layer === 'work' && !e.conflict)
    .map((e) => e.mark.body.meaning);
  box.hidden = !key.length;
  for (const name of only) if (!key.some((m) => m.name === name)) only.delete(name);
  box.replaceChildren(
    ...key.map((m) => {
      const dot = el('i', { className: 'dyed' }),
        n = el('b', {}, String(used.filter((u) => u === m.name).length));
      dot.style.background = m.color;
      if (marks.view.way !== 'keep') return el('li', {}, dot, `${m.name} (${m.sign})`, n);
      return el(
        'li',
        {},
        el(
          'button',
          {
            className: 'only',
            title: 'Show only these',
            'aria-pressed': String(only.has(m.name)),
            on: {
              click: () => {
                if (!only.delete(m.name)) only.add(m.name);
                count();
                box.querySelectorAll('.only')[key.indexOf(m)].focus();
              },
            },
          },
          dot,
          `${m.name} (${m.sign})`,
          n,
        ),
      );
    }),
  );
  alone();
  const asked = marks.view.teacher ? [] : tasks().filter((t) => t.of),
    toDo = margin.querySelector('[data-tasks]');
  toDo.hidden = !asked.length;
  toDo.replaceChildren(
    ...asked.map((t) =>
      el(
        'li',
        {},
        `Question ${t.number.replace(/[.)]+$/, '') || 'without a number'}`,
        el('b', {}, `${t.marks} of ${t.of}`),
        'marked',
      ),
    ),
  );
}

// draft shows a card that is still being written; done() takes it away.
export function draft(key, page, place, ...content) {
  const c = el('article', { className: 'said-note on', data: { draft: key } }, ...content);
  if (marks.view.teacher) c.classList.add('teacher');
  const m = el(
    'button',
    { className: `marker on ${marks.view.teacher ? 'teacher' : ''}`, tabIndex: -1, 'aria-hidden': 'true' },
    '+',
  );
  sheetOf(page).box.append(m);
  const d = { page, place, card: c, marker: m };
  written.set(key, d);
  notes.querySelector('.empty')?.remove();
  notes.append(c);
  const opened = !screen.classList.contains('notes-open');
  screen.classList.add('notes-open');
  active = key;
  arrange();
  if (over()) requestAnimationFrame(() => together(key));
  return () => {
    written.delete(key);
    c.remove();
    m.remove();
    if (active === key) active = null;
    if (opened && !written.size) screen.classList.remove('notes-open'); // a drawer that came for it goes with it
    signature = '';
    gather();
  };
}

export function activate(key) {
  if (active === key) return;
  active = key;
  light();
  arrange();
  if (over()) together(key);
}

// show brings a note into view, with its place, and says whether it is there.
export function show(key) {
  const t = threads.find((one) => one.remarks[0].id === key);
  if (!t) return false;
  goTo(t.page, t.place[1]);
  screen.classList.add('notes-open');
  activate(key);
  cardOf.get(key)?.querySelector('textarea, .go')?.focus({ preventScroll: true });
  return true;
}

// together brings a note and its place into view at once, where the margin is a
// drawer over the lower part of the page.
function together(key) {
  const card = cardOf.get(key) ?? written.get(key)?.card,
    m = markers.get(key) ?? written.get(key)?.marker;
  if (!card || !m) return;
  card.scrollIntoView({ block: 'nearest' });
  const place = m.getBoundingClientRect(),
    free = margin.getBoundingClientRect().top;
  if (place.bottom > free - GAP) surface.desk.scrollTop += place.bottom - free + GAP + place.height;
}
const GAP = 16; // CSS pixels between a place and the drawer

const over = () => getComputedStyle(margin).position === 'fixed';

// light shows the mark that the note in hand speaks about.
function light() {
  for (const g of surface.desk.querySelectorAll('.spoken-of')) g.classList.remove('spoken-of');
  const on = threads.find((t) => t.remarks[0].id === active)?.on;
  for (const g of (on && find(on)?.groups) || []) g.classList.add('spoken-of');
}
let hovered = null;
function hover(key) {
  hovered = key;
  leader();
}
margin.addEventListener('pointerleave', () => {
  hovered = null;
  leader();
});

// free gives where a note's point covers no print: beside its place.
const DOT = 13; // CSS pixels, half of a point
const kept = new Map();
function free(page, at, r) {
  const key = `${surface.sheet} ${page} ${at} ${r}`;
  if (!core.ready || !sheetOf(page)?.print.childElementCount) return at;
  if (!kept.has(key)) {
    if (kept.size > 500) kept.clear();
    kept.set(key, core.clear(page, at, r, 40));
  }
  return kept.get(key);
}

// cards gives the cards of notes, with where on which page they speak about something.
export const cards = () => [
  ...threads.map((t) => ({ card: cardOf.get(t.remarks[0].id), page: t.page, at: t.place })),
  ...[...written.values()].map((d) => ({ card: d.card, page: d.page, at: d.place })),
];

// gatherHome puts the cards back that stood elsewhere.
export function gatherHome() {
  for (const { card } of cards()) notes.append(card);
}

// arrange sets every card level with its place.
export function arrange() {
  const z = pixels(),
    frame = notes.getBoundingClientRect(),
    narrow = window.innerWidth <= 1000;
  notes.style.paddingTop = '';
  const items = [];
  const place = (key, page, at, card, m) => {
    const s = sheetOf(page);
    if (!s) return;
    const [x, y] = free(page, at, (DOT + 2) / z);
    m.style.left = `${x * z}px`;
    m.style.top = `${y * z}px`;
    m.classList.toggle('on', key === active);
    card.classList.toggle('on', key === active);
    items.push({ key, card, want: s.box.getBoundingClientRect().top + at[1] * z - frame.top - 18 });
  };
  for (const t of threads) {
    const k = t.remarks[0].id;
    place(k, t.page, t.place, cardOf.get(k), markers.get(k));
  }
  for (const [k, d] of written) place(k, d.page, d.place, d.card, d.marker);
  if (narrow) {
    for (const i of items) Object.assign(i.card.style, { position: 'static', margin: '.6rem', transform: '' });
    leaders.replaceChildren();
    return;
  }
  items.sort((a, b) => a.want - b.want);
  const gap = 10,
    floor = popover.hidden ? 0 : Math.max(0, popover.getBoundingClientRect().bottom - frame.top + gap);
  const i = items.findIndex((x) => x.key === active);
  const height = (x) => x.card.offsetHeight;
  if (i >= 0) {
    items[i].y = Math.max(items[i].want, Math.min(floor, items[i].want + 1e6));
    for (let k = i - 1; k >= 0; k--) items[k].y = Math.min(items[k].want, items[k + 1].y - gap - height(items[k]));
  }
  let low = i >= 0 ? items[i].y + height(items[i]) + gap : floor;
  for (let k = i + 1; k < items.length; k++) {
    items[k].y = Math.max(items[k].want, low);
    low = items[k].y + height(items[k]) + gap;
  }
  for (const x of items)
    Object.assign(x.card.style, { position: '', margin: '', transform: `translateY(${Math.round(x.y)}px)` });
  leader();
}

// leader draws the line of the one note in hand, or under the pointer.
function leader() {
  const key = hovered ?? active,
    c = cardOf.get(key) ?? written.get(key)?.card,
    m = markers.get(key) ?? written.get(key)?.marker;
  leaders.replaceChildren();
  if (!c || !m || window.innerWidth <= 1000) return;
  const a = m.getBoundingClientRect(),
    b = c.getBoundingClientRect(),
    d = surface.desk.getBoundingClientRect(),
    f = notes.getBoundingClientRect();
  const y0 = a.top + a.height / 2,
    y1 = b.top + 18;
  if (y0 < d.top || y0 > d.bottom || y1 < f.top || y1 > f.bottom) return;
  const x0 = a.right,
    x1 = b.left,
    bend = (x1 - x0) / 2;
  leaders.append(
    node('path', {
      class: c.classList.contains('teacher') ? 'teacher' : '',
      d: `M${x0} ${y0}C${x0 + bend} ${y0} ${x1 - bend} ${y1} ${x1} ${y1}`,
    }),
  );
}

// A press on the page closes the margin where it lies over the page, unless a
// note is being written there.
surface.desk.addEventListener('pointerdown', (e) => {
  if (e.target.closest('.marker') || written.size || !screen.classList.contains('notes-open') || !over()) return;
  screen.classList.remove('notes-open');
  activate(null);
});

notes.addEventListener(
  'wheel',
  (e) => {
    if (window.innerWidth > 1000) surface.desk.scrollTop += e.deltaY;
  },
  { passive: true },
);
document.addEventListener('moved', () => arrange());
