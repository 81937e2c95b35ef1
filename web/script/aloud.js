// aloud reads to people: sentence by sentence, with the word that is being said marked
// where it stands, on the page or in the sheet in words.

import { ask } from './net.js';
import { el, icon } from './paint.js';
import { sheetOf, surface } from './surface.js';
import { core } from './core.js';
import { keep, settings } from './settings.js';
import { toast } from './toast.js';
import * as inwords from './inwords.js';
import { instruments } from './pointer.js';

const SPEEDS = [0.6, 0.8, 1, 1.25, 1.5],
  NAMES = ['Very slow', 'Slow', 'As people speak', 'Quick', 'Very quick'];
const audio = new Audio();
// A device may have voices of its own, of which only those count that need no line: no
// text leaves it.
const synth = window.speechSynthesis,
  voiceOf = (lang) =>
    synth
      ?.getVoices()
      .find((v) => v.localService && v.lang.slice(0, 2).toLowerCase() === lang.slice(0, 2).toLowerCase());
// own says whether the device is to say what is in a language; where that is not known
// yet, any voice will do until it is.
const own = (lang) => !!settings.ownVoice && !!(lang ? voiceOf(lang) : synth?.getVoices().some((v) => v.localService));

let reading = null; // {passages, p, s, said, bar, frame, token, asked}

export const isReading = () => !!reading;

/**
 * read reads passages, one behind the other.
 * @param {{tokens: any[], lang: string}[]} passages
 * @param {{token?: number}} [how] token is the one of the first passage to begin at
 */
export function read(passages, { token = 0 } = {}) {
  stop();
  if (!passages.length) {
    toast('There is nothing here that can be read aloud. A scan is read once its words are known.');
    return;
  }
  reading = { passages, p: 0, s: 0, said: null, bar: bar(), frame: 0, token: -1, asked: new Map() };
  go(0, 0, token);
}

// readText reads what somebody wrote.
export const readText = (text) =>
  read([
    {
      tokens: text
        .split(/\s+/)
        .filter(Boolean)
        .map((t) => ({ t })),
      lang: '',
    },
  ]);

// stop ends it at once.
export function stop() {
  if (!reading) return;
  const { frame, bar: box } = reading;
  reading = null;
  cancelAnimationFrame(frame);
  audio.pause();
  synth?.cancel();
  mark(null);
  box.remove();
}

function sentence(p, s, token = 0) {
  const { passages, asked } = reading,
    { tokens, lang } = passages[p],
    key = `${p} ${token ? `at ${token}` : s} ${own(lang)}`;
  if (!asked.has(key))
    asked.set(
      key,
      ask('/aloud', {
        method: 'POST',
        json: {
          tokens: tokens.map(({ t, p: place }) => (place ? { t, p: true } : { t })),
          lang,
          sentence: s,
          token,
          own: own(lang),
        },
      }).catch((e) => {
        asked.delete(key); // it is asked anew
        throw e;
      }),
    );
  return asked.get(key);
}

// go says a sentence, and has the next one made meanwhile.
async function go(p, s, token = 0) {
  const mine = reading;
  Object.assign(mine, { p, s, said: null });
  audio.pause();
  synth?.cancel();
  mark(null);
  let said;
  try {
    said = await sentence(p, s, token);
  } catch (e) {
    if (reading !== mine || mine.p !== p) return;
    if (e.status === 422 && p + 1 < mine.passages.length) {
      go(p + 1, 0); // nothing is said of this one
      return;
    }
    if (e.status === 0) {
      wait(mine, p, s, token);
      return;
    }
    stop();
    toast(e.message);
    return;
  }
  if (reading !== mine || mine.p !== p || mine.s !== s) return;
  mine.waits = 0;
  Object.assign(mine, { said, s: said.sentence, token: -1, voice: said.text ? voiceOf(said.lang) : null });
  choices(said.lang);
  if (said.text) {
    if (!mine.voice) return forget(p, said.sentence); // the device has none for this language
    utter(mine);
    say();
    return;
  }
  audio.src = `/aloud/${said.sound}`;
  audio.playbackRate = SPEEDS[settings.speed];
  audio.preservesPitch = true;
  audio.play().catch(() => say());
  say();
  cancelAnimationFrame(mine.frame);
  follow();
  if (said.sentence + 1 < said.sentences.length) sentence(p, said.sentence + 1).catch(() => {});
  else if (p + 1 < mine.passages.length) sentence(p + 1, 0).catch(() => {});
}

// wait goes on with a sentence once there is a line again.
const AGAIN = 2500; // milliseconds
function wait(mine, p, s, token) {
  if (!mine.waits) toast('There is no connection. It is read on from here as soon as there is one.');
  mine.waits = setTimeout(() => {
    if (reading === mine && mine.p === p && mine.s === s) go(p, s, token);
  }, AGAIN);
}

// forget has a sentence said by the school's voice after all.
function forget(p, s) {
  settings.ownVoice = false;
  reading.asked.clear();
  go(p, s);
}

// utter has the device say the sentence in hand, and marks its words as it tells of them.
function utter(mine) {
  const { said, passages, p } = mine,
    u = new window.SpeechSynthesisUtterance(said.text);
  u.voice = mine.voice;
  u.lang = said.lang;
  u.rate = SPEEDS[settings.speed];
  u.addEventListener('boundary', (e) => {
    if (reading !== mine || mine.said !== said) return;
    const letter = [...said.text.slice(0, e.charIndex)].length;
    let at = -1;
    said.at.forEach((l, i) => {
      if (l >= 0 && l <= letter) at = said.sentences[said.sentence][0] + i;
    });
    if (at >= 0 && at !== mine.token) {
      mine.token = at;
      mark(passages[p].tokens[at]);
    }
  });
  u.addEventListener('end', () => {
    if (reading === mine && mine.said === said) on();
  });
  synth.speak(u);
}

// paused says whether it rests.
const paused = () => (reading?.said?.text ? synth.paused : audio.paused);

// choices offers the voice of the device, where it has one for a language.
function choices(lang) {
  const box = reading.bar.querySelector('[data-voices]');
  box.hidden = !voiceOf(lang);
  box.value = settings.ownVoice ? 'own' : '';
}

function on() {
  const { p, s, said, passages } = reading;
  if (said && s + 1 < said.sentences.length) go(p, s + 1);
  else if (p + 1 < passages.length) go(p + 1, 0);
  else stop();
}

async function back() {
  const { p, s } = reading;
  if (s > 0) go(p, s - 1);
  else if (p > 0) {
    const first = await sentence(p - 1, 0).catch(() => null);
    if (reading) go(p - 1, first ? first.sentences.length - 1 : 0);
  } else go(0, 0);
}

audio.addEventListener('ended', () => {
  if (reading) on();
});
audio.addEventListener('error', () => {
  if (reading?.said?.sound) wait(reading, reading.p, reading.s, 0); // its sound did not come
});
for (const e of ['play', 'pause']) audio.addEventListener(e, () => reading && say());

// follow marks the word that is being said, by the clock of the sound.
function follow() {
  if (!reading) return;
  const { said, p, passages } = reading;
  if (said?.times) {
    const t = audio.currentTime * 1000,
      [from] = said.sentences[said.sentence];
    let at = -1;
    said.times.forEach(([begins], i) => {
      if (begins >= 0 && begins <= t) at = from + i;
    });
    if (at !== reading.token && !audio.paused) {
      reading.token = at;
      mark(passages[p].tokens[at]);
    }
  }
  reading.frame = requestAnimationFrame(follow);
}

// mark shows a token as the one that is said, and keeps it in view.
let there = null;
function mark(token) {
  there?.remove();
  there = null;
  CSS.highlights?.delete('spoken');
  if (!token) return;
  if (inwords.shown()) {
    const range = token.word === undefined ? null : inwords.rangeOf(token.page, token.word);
    if (range && CSS.highlights) CSS.highlights.set('spoken', new window.Highlight(range));
    const node = range?.startContainer.parentElement ?? token.one?.box;
    const r = (range ?? node)?.getBoundingClientRect();
    if (r && (r.top < 100 || r.bottom > window.innerHeight - 140)) node.scrollIntoView({ block: 'center' });
    return;
  }
  const s = sheetOf(token.page ?? token.one?.of.page),
    r = token.one?.of.r ?? s?.printed?.[token.word]?.b;
  if (!s || !r) return;
  there = el('div', { className: 'spoken-word', data: { word: token.word ?? '' } });
  const share = (v, of) => `${(100 * v) / of}%`;
  Object.assign(there.style, {
    left: share(r[0], s.w),
    top: share(r[1], s.h),
    width: share(r[2] - r[0], s.w),
    height: share(r[3] - r[1], s.h),
  });
  s.box.append(there);
  const seen = there.getBoundingClientRect(),
    desk = surface.desk.getBoundingClientRect();
  if (seen.top < desk.top + 20 || seen.bottom > desk.bottom - 90)
    there.scrollIntoView({ block: 'center', inline: 'nearest' });
}

// bar has what can be done while something is read.
function bar() {
  const button = (name, sign, run) =>
    el('button', { className: 'button quiet', 'aria-label': name, title: name, on: { click: run } }, icon(sign));
  const speed = el(
    'select',
    {
      className: 'field',
      'aria-label': 'How fast it is read',
      on: {
        change: () => {
          settings.speed = +speed.value;
          keep();
          audio.playbackRate = SPEEDS[settings.speed];
          if (reading?.said?.text) go(reading.p, reading.s); // it is said anew
        },
      },
    },
    ...NAMES.map((n, i) => el('option', { value: String(i) }, n)),
  );
  speed.value = String(settings.speed);
  const voices = el(
    'select',
    {
      className: 'field',
      hidden: true,
      'aria-label': 'Whose voice',
      data: { voices: '' },
      on: {
        change: () => {
          settings.ownVoice = voices.value === 'own';
          keep();
          go(reading.p, reading.s);
        },
      },
    },
    el('option', { value: '' }, 'The school’s voice'),
    el('option', { value: 'own' }, 'This device’s voice'),
  );
  const box = el(
    'div',
    { className: 'reading-bar', role: 'toolbar', 'aria-label': 'Reading aloud' },
    button('Sentence back', 'left', back),
    el('button', { className: 'button dark', data: { pause: '' }, on: { click: toggle } }, icon('pause'), 'Pause'),
    button('Sentence on', 'right', () => on()),
    speed,
    voices,
    button('Stop reading', 'cross', stop),
  );
  document.querySelector('[data-screen]').append(box);
  return box;
}

function toggle() {
  if (reading?.said?.text) {
    if (synth.paused) synth.resume();
    else synth.pause();
    setTimeout(say, 50);
    return;
  }
  if (audio.paused) audio.play();
  else audio.pause();
}

function say() {
  const b = reading?.bar.querySelector('[data-pause]');
  const words = paused() ? 'Go on' : 'Pause';
  if (b && b.textContent !== words) b.replaceChildren(icon(paused() ? 'play' : 'pause'), words);
}

// readHere reads what is selected, or the sheet from what is seen now on; it ends what is
// being read.
export function readHere() {
  if (reading) {
    stop();
    return;
  }
  const at = inwords.current() ?? { number: 1, y: 0 };
  read(inwords.passages({ number: at.number, y: at.y }));
}

// readWords reads the printed words of a run on a page.
export function readWords(number, words, text) {
  const tokens = words
    ? sheetOf(number)
        .printed.slice(...words)
        .map((w, i) => ({ t: w.t, page: number, word: words[0] + i }))
    : text.split(/\s+/).map((t) => ({ t }));
  read([{ tokens, lang: inwords.langOf(number) }]);
}

// With this instrument one presses words, and hears them from there on.
instruments.listen = {
  tap(p) {
    const printed = p.sheet.printed ?? [],
      word = printed.findIndex(({ b }) => p.x > b[0] - 3 && p.x < b[2] + 3 && p.y > b[1] - 1 && p.y < b[3] + 1);
    if (word < 0 || !core.ready) {
      stop();
      return;
    }
    const found = inwords.withWord(p.sheet.number, word);
    if (found) read([found.passage], { token: found.token });
  },
  leave() {
    stop();
  },
};

document.addEventListener('click', (e) => {
  const on = /** @type {HTMLElement} */ (e.target),
    what = on.closest?.('[data-listen]')?.getAttribute('data-listen'),
    text = on.closest?.('[data-aloud]')?.getAttribute('data-aloud');
  if (text) readText(text);
  if (what === 'here') readHere();
  else if (what) read(inwords.passages({ question: what }));
});
document.addEventListener('keydown', (e) => {
  if (e.key === 'Escape') stop();
});
window.addEventListener('pagehide', stop);
