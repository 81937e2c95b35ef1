// leaving tells, away from the sheet, that changes still wait on this device,
// and asks before somebody signs out with such. They are kept in any case, for
// the same person only; what others might find is cleared away.

import { openDB } from './vendor/idb.js';
import { closed } from './closing.js';

const form = document.querySelector('form[action="/sign-out"]'),
  dialog = document.querySelector('[data-leaving]');

// open opens a base of this site if it is there: opening it would make it.
async function open(name) {
  if (!(await indexedDB.databases()).some((d) => d.name === name)) return null;
  return openDB(name);
}

const mine = (person) => IDBKeyRange.bound([person, 0], [person, Number.MAX_SAFE_INTEGER]);

// waiting gives what a person did on this device that the server has not got.
async function waiting(person) {
  try {
    const out = [],
      base = await open('readymargin'),
      spoken = await open('readymargin-spoken');
    if (base) out.push(...(await base.getAllFromIndex('ops', 'copy', mine(person))).filter((m) => !m.sent));
    if (spoken)
      for (const s of await spoken.getAll('spoken', IDBKeyRange.bound([person, ''], [person, '\uffff'])))
        out.push({ at: `/${s.about.thing.replace('copy', 'copies').replace('worksheet', 'worksheets')}` });
    base?.close();
    spoken?.close();
    return out;
  } catch {
    return [];
  }
}

// clear leaves nothing of a person on this device but changes that the server
// has not got.
async function clear(person) {
  sessionStorage.clear();
  for (const k of Object.keys(localStorage)) if (/^(clipboard|settings) /.test(k)) localStorage.removeItem(k);
  try {
    const base = await open('readymargin');
    if (base) {
      const tx = base.transaction(['views', 'ops'], 'readwrite'),
        ops = tx.objectStore('ops');
      const all = await ops.index('copy').getAll(mine(person));
      await Promise.all([
        tx.objectStore('views').clear(),
        ...all.filter((m) => m.sent).map((m) => ops.delete(m.key)),
        tx.done,
      ]);
      base.close();
    }
    const drafts = await open('readymargin-drafts');
    if (drafts) {
      const tx = drafts.transaction('drafts', 'readwrite');
      await Promise.all([tx.store.clear(), tx.done]); // the server has them
      drafts.close();
    }
  } catch {
    /* what could not be opened holds nothing that can be read here */
  }
  for (const name of ['pages', 'kept', 'who']) await window.caches?.delete(name).catch(() => {});
}

const count = (n) => `${n} ${n === 1 ? 'change' : 'changes'}`;

if (form && dialog) {
  const person = +dialog.dataset.leaving,
    kept = waiting(person);
  kept.then((ops) => {
    const line = document.querySelector('[data-waiting]');
    if (!line || !ops.length) return;
    line.querySelector('span').textContent =
      `${count(ops.length)} on this device ${ops.length === 1 ? 'has' : 'have'} not been sent yet.`;
    line.querySelector('a').href = ops[0].at ?? `/copies/${ops[0].copy}`;
    line.hidden = false;
  });
  let sure = false;
  form.addEventListener('submit', async (e) => {
    if (sure) return;
    e.preventDefault();
    const ops = await waiting(person);
    if (ops.length) {
      dialog.querySelector('[data-count]').textContent =
        `${count(ops.length)} on this device ${ops.length === 1 ? 'has' : 'have'} not been sent yet.`;
      dialog.returnValue = '';
      dialog.showModal();
      await closed(dialog);
      if (dialog.returnValue !== 'yes') return;
    }
    await clear(person);
    sure = true;
    form.submit();
  });
}
