// pages is the bench's first place: which pages there are, how, for whom.

import { ask, post } from '../net.js';
import { question } from '../dialogs.js';
import { toast } from '../toast.js';
import { showSaved } from '../saved.js';
import { change, doc, fresh, leaf, numbers, settled, size, undecided, url, view } from './doc.js';
import { choose, label, move } from './leaves.js';

const said = (l) =>
  ({
    heading: `Page ${l.page} looks like answers: it says “${l.proposal.heading}”.`,
    filled: `Page ${l.page} looks like answers: it repeats page ${l.proposal.of} with its blanks filled.`,
    written: `Page ${l.page} looks like answers: it is page ${l.proposal.of} with more written on it.`,
  })[l.proposal.kind];

const put = (i, use) =>
  change((leaves) => {
    Object.assign(leaves[i], { use, decided: true });
    doc.at = i;
  });

// turned returns a page turned clockwise; what stands on it turns along.
async function turned(l, quarters) {
  let out = structuredClone(l);
  const carries = out.places || out.questions || out.said?.length;
  for (let n = 0; n < quarters; n++) {
    if (carries)
      out = {
        ...out,
        places: undefined,
        questions: undefined,
        said: undefined,
        ...(await ask(url('/turned'), { method: 'POST', json: { leaf: out, height: size(out).h } })),
      };
    else out.turn = (out.turn + 90) % 360;
  }
  return out;
}

// turnEach turns pages by so many quarters, in one step.
async function turnEach(which, quarters = 1) {
  try {
    const all = await Promise.all(which.map((i) => turned(view.leaves[i], quarters)));
    change((leaves) =>
      which.forEach((i, k) => {
        leaves[i] = all[k];
      }),
    );
  } catch (e) {
    toast(e.message);
  }
}

// turn turns the page in hand.
const turn = (quarters) => turnEach([doc.at], quarters);

const weighed = { make: '', is: { pages: 0, bytes: 0, light: 0 } };

const large = (bytes) =>
  bytes < 950e3 ? `${Math.max(1, Math.round(bytes / 1e3))} KB` : `${(bytes / 1e6).toFixed(1)} MB`;

// photo gives both pages of a photograph, of one of them; of another page none.
function photo(l) {
  const taken = view.leaves.findIndex((o) => o.source === l.source && o.taken),
    sheet = view.leaves.findIndex((o) => o.source === l.source && !o.taken);
  if (taken < 0 || sheet < 0) return [];
  const one = (at, words) => {
    const p = view.leaves[at];
    return {
      at,
      words,
      src: url(`/sources/${p.source}/pages/${p.page}/100`),
      on: p.use === 'sheet',
    };
  };
  return [one(taken, 'As it was taken'), one(sheet, 'Straightened and cleaned')];
}

const USES = { held: 'held back', sheet: 'handed out', dropped: 'left out' };
const counted = (k, what) => `${k} ${what}${k === 1 ? '' : 's'}`;

function counts() {
  const [sheet, held, dropped] = ['sheet', 'held', 'dropped'].map((u) => view.leaves.filter((x) => x.use === u).length);
  return `${counted(sheet, 'page')} for students${held ? `, ${counted(held, 'page')} held back` : ''}${dropped ? `, ${counted(dropped, 'page')} left out` : ''}.`;
}

export const panel = {
  asked: [],
  at: 0,
  use: '', // of the page in hand
  name: '',
  decided: '',
  counts: '',
  remarks: [],
  reading: false,
  uses: [],
  many: false, // there are several pages
  wrong: '', // with which pages were named
  photo: [], // a photograph as it was taken and straightened, of the page in hand
  weight: '', // what students load
  choices: [], // of how
  changed: '', // what a change means for those who have the worksheet
  show() {
    const l = leaf();
    Object.assign(this, {
      asked: view.leaves.map((a, i) => ({ a, i })).filter(({ a }) => undecided(a)),
      at: doc.at,
      use: l?.use ?? '',
      name: l ? label(l, numbers()[doc.at]) : '',
      decided: l?.proposal && l.decided ? `You decided: ${USES[l.use]}.` : '',
      counts: counts(),
      remarks: (view.remarks ?? [])
        .map((text, i) => ({
          text: /font/i.test(text) ? `${text} Lines may break elsewhere, so look the pages over.` : text,
          name: view.sources[i],
        }))
        .filter((r) => r.text),
      reading: !!view.reading,
      uses: view.uses ?? [],
      many: view.leaves.length > 2,
      photo: l ? photo(l) : [],
    });
    if (document.querySelector('[data-weight]')?.open) this.weigh(true);
    this.asked = this.asked.map(({ a, i }) => ({ i, said: said(a) }));
    const begun = this.uses.reduce((s, u) => s + u.Begun, 0);
    this.changed = view.changed
      ? `You have changed it since. Blanks, directions and colours reach every copy; pages do not: ${begun === 1 ? '1 copy is begun and keeps those it has.' : `${begun} copies are begun and keep those they have.`}`
      : '';
  },
  put,
  // either hands out one of the two of a photograph, in the place of the other.
  either(i) {
    change((leaves) => {
      const two = leaves.filter((l) => l.source === leaves[i].source);
      for (const l of two) Object.assign(l, { use: l === leaves[i] ? 'sheet' : 'dropped', decided: true });
      doc.at = i;
    });
  },
  // weigh asks what students load, once for each make of the sheet.
  async weigh(open) {
    const make = JSON.stringify(view.leaves.filter((l) => l.use === 'sheet').map((l) => [l.source, l.page]));
    if (!open) return;
    if (make !== weighed.make) {
      weighed.make = make;
      this.choices = [];
      this.weight = 'Weighing the pages…';
      try {
        await settled();
        weighed.is = await ask(url('/weight'));
      } catch (e) {
        weighed.make = '';
        this.weight = e.message;
        return;
      }
    }
    const { pages, bytes, light } = weighed.is;
    this.weight = pages
      ? `Students load about ${large(view.kit.light ? light : bytes)} for ${counted(pages, 'page')}.${light < 0.8 * bytes ? ' On slow lines scans and photographs can come a little rougher; what is typed and drawn stays as sharp.' : ''}`
      : 'Students get no page yet.';
    this.choices =
      light < 0.8 * bytes
        ? [
            { words: 'As it is', size: large(bytes), light: false, on: !view.kit.light },
            { words: 'Lighter', size: large(light), light: true, on: !!view.kit.light },
          ]
        : [];
  },
  lighten(on) {
    change((_, kit) => {
      kit.light = on;
    });
  },
  see: (i) => choose(i, true),
  turn,
  shift: (d) => move(doc.at, doc.at + d),
  // several does something with the pages that are named.
  several(what) {
    const named = ranges(this.$refs.several.value, view.leaves.length);
    this.wrong = named.length
      ? ''
      : `Name pages from 1 to ${view.leaves.length}, such as 1, 3-${Math.max(view.leaves.length, 4)}. Nothing was changed.`;
    if (!named.length) return;
    if (what === 'turn') turnEach(named);
    else
      change((leaves) =>
        leaves.forEach((l, i) => {
          if (named.includes(i)) Object.assign(l, { use: what === 'only' ? 'sheet' : what, decided: true });
          else if (what === 'only') Object.assign(l, { use: 'dropped', decided: true });
        }),
      );
  },
  turnAll: () => turnEach(view.leaves.map((_, i) => i)),
  more,
  reissue,
};

// ranges reads "4, 7-9" as places from 0; nothing where it is no such list.
export function ranges(text, most) {
  const out = new Set();
  for (const part of text.split(/[,;\s]+/).filter(Boolean)) {
    const m = part.match(/^(\d+)(?:[-–](\d+))?$/);
    if (!m) return [];
    const from = +m[1],
      to = +(m[2] ?? m[1]);
    if (from < 1 || to > most || from > to) return [];
    for (let n = from; n <= to; n++) out.add(n - 1);
  }
  return [...out].sort((a, b) => a - b);
}

// more takes the pages of another file in, behind the page in hand.
async function more(input) {
  const data = new FormData();
  data.append('at', String(doc.at + 1));
  data.append('file', input.files[0]);
  input.value = '';
  showSaved('saving', 'Reading its pages…');
  try {
    await settled();
    fresh(await ask(url('/pages'), { method: 'POST', body: data }), true);
    doc.onChange(false);
  } catch (e) {
    toast(e.message);
  }
  showSaved('saved', 'Saved');
}

// reissue gives the worksheet as it is now to those who have not begun.
async function reissue() {
  const asked = view.leaves.some(undecided);
  if (
    asked &&
    !(await question(
      'Some pages look like answers',
      'You have not decided on them. Give the worksheet out all the same?',
      'Give it out',
    ))
  )
    return;
  try {
    await settled();
    const answer = await post(url('/reissue'), asked ? { anyway: '1' } : {});
    toast(
      answer.begun
        ? `Done. ${answer.begun} ${answer.begun === 1 ? 'copy that is begun stays' : 'copies that are begun stay'} on the earlier one.`
        : 'Done. Everybody has the new one.',
    );
    view.changed = false;
    doc.onChange(false);
  } catch (e) {
    toast(e.message);
  }
}
