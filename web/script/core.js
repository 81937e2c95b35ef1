// core loads the Go core and speaks JSON with it. Gestures that need it wait
// for `loaded`; nothing else on the screen does.

const here = document.querySelector('script[data-core]');

async function start() {
  await new Promise((done, fail) => {
    const s = document.createElement('script');
    s.src = here.dataset.exec;
    s.onload = done;
    s.onerror = () => fail(new Error('the core did not load'));
    document.head.append(s);
  });
  const go = new window.Go();
  const { instance } = await WebAssembly.instantiateStreaming(fetch(here.dataset.core), go.importObject);
  go.run(instance);
  core.ready = true;
}

const call = (name, ...args) => (core.ready ? window.readymarginCore[name](...args) : null);
const parsed = (text) => (typeof text === 'string' ? JSON.parse(text) : null);

// ENTRY leaves out of an entry what only the screen knows.
const ENTRY = (key, value) => (key === 'groups' || key === 'shapes' ? undefined : value);

let arrived;

export const core = {
  ready: false,
  loaded: new Promise((ok) => {
    arrived = ok;
  }),
  async load() {
    await start();
    arrived();
  },
  shapes: (mark) => parsed(call('shapes', JSON.stringify(mark))) ?? [],
  setPrint: (page, text) => call('setPrint', page, text),
  run: (page, a, b, letters) => parsed(call('run', page, a.x, a.y, b.x, b.y, letters)),
  span: (page, from, to) => parsed(call('span', page, from, to)),
  onWord: (page, p) => call('onWord', page, p.x, p.y) ?? false,
  clear: (page, at, r, reach) => parsed(call('clear', page, ...at, r, reach)) ?? at,
  settle: (page, p, size) => call('settle', page, p.x, p.y, size) ?? p.y + 0.35 * size,
  begin: (entries) => parsed(call('begin', JSON.stringify(entries, ENTRY))) ?? [],
  lay: (layer, version, mark) => call('lay', layer, version, JSON.stringify(mark)),
  drop: (version) => call('drop', version),
  base: (on) => call('base', on) ?? '',
  apply: (layer, op, tie, samples) =>
    parsed(call('apply', layer, JSON.stringify(op), !!tie, samples ? Float64Array.from(samples) : null)),
  take: (changes) => parsed(call('take', JSON.stringify(changes, ENTRY))) ?? { gone: [], put: [] },
  hit: (layers, page, p, reach) => call('hit', layers ?? '', page, p.x, p.y, reach),
  bounds: (version) => parsed(call('bounds', version)),
  captions: (text, peaks, ms) => parsed(call('captions', text, JSON.stringify(peaks), ms)) ?? [],
  moved: (version, dx, dy) => parsed(call('moved', version, dx, dy)),
  fitted: (version, from, to) => parsed(call('fitted', version, JSON.stringify(from), JSON.stringify(to))),
  frame: (version) => parsed(call('frame', version)),
  reframed: (version, to) => parsed(call('reframed', version, JSON.stringify(to))),
  turned: (version, x, y, degrees) => parsed(call('turned', version, x, y, degrees)),
  restyled: (version, style) => parsed(call('restyled', version, JSON.stringify(style))),
  within: (layers, page, loop) => parsed(call('within', layers, page, Float64Array.from(loop))) ?? [],
  rubbed: (layers, page, radius, samples) =>
    parsed(call('rubbed', layers, page, radius, Float64Array.from(samples))) ?? [],
  resembles: (version, before) => parsed(call('resembles', version, before ?? '')),
  setGuide: (page, guide) => call('setGuide', page, JSON.stringify(guide)),
  asked: (page, place) => parsed(call('asked', page, place)) ?? { question: '', label: '' },
  paper: (version) => parsed(call('paper', version)) ?? { places: [], questions: [] },
  signs: (pages) => parsed(call('signs', pages)) ?? [],
  near: (page, p, reach) => call('near', page, p.x, p.y, reach) ?? -1,
  empty: (page) => parsed(call('empty', page)) ?? [],
  tasks: (page) => parsed(call('tasks', page)) ?? [],
  crossing: (grey, width, x, y) => parsed(call('crossing', grey, width, x, y)),
  practised: () => parsed(call('practised')) ?? [],
  threads(said) {
    const all = parsed(call('threads', JSON.stringify(said)));
    return { threads: all?.threads ?? [], whole: all?.whole ?? [] };
  },
};
