// leaving tells, away from the sheet, that changes still wait on this device,
// and asks before somebody signs out with such. They are kept in any case, for
// the same person only; what others might find is cleared away.

const form = document.querySelector('form[action="/sign-out"]'), dialog = document.querySelector('[data-leaving]');

// waiting gives what a person did on this device that the server has not got.
async function waiting(person) {
  try {
    if (!(await indexedDB.databases()).some((d) => d.name === 'readymargin')) return []; // opening it would make it
    const done = (request) => new Promise((ok, fail) => { request.onsuccess = () => ok(request.result); request.onerror = () => fail(request.error); });
    const base = await done(indexedDB.open('readymargin'));
    const all = await done(base.transaction('ops').objectStore('ops').index('copy').getAll(IDBKeyRange.bound([person, 0], [person, Number.MAX_SAFE_INTEGER])));
    base.close();
    return all.filter((m) => !m.sent);
  } catch { return []; }
}

const count = (n) => `${n} ${n === 1 ? 'change' : 'changes'}`;

if (form && dialog) {
  const person = +dialog.dataset.leaving, kept = waiting(person);
  kept.then((ops) => {
    const line = document.querySelector('[data-waiting]');
    if (!line || !ops.length) return;
    line.querySelector('span').textContent = `${count(ops.length)} on this device ${ops.length === 1 ? 'has' : 'have'} not been sent yet.`;
    line.querySelector('a').href = `/copies/${ops[0].copy}`;
    line.hidden = false;
  });
  let sure = false;
  form.addEventListener('submit', async (e) => {
    if (sure) return;
    e.preventDefault();
    const ops = await waiting(person);
    if (ops.length) {
      dialog.querySelector('[data-count]').textContent = `${count(ops.length)} on this device ${ops.length === 1 ? 'has' : 'have'} not been sent yet.`;
      dialog.returnValue = '';
      dialog.showModal();
      await new Promise((closed) => dialog.addEventListener('close', closed, { once: true }));
      if (dialog.returnValue !== 'yes') return;
    }
    sessionStorage.clear();
    for (const k of Object.keys(localStorage)) if (k.startsWith('clipboard ')) localStorage.removeItem(k);
    sure = true;
    form.submit();
  });
}
