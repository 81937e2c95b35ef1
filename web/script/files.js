// files brings in what was written on paper, and what was marked in other programs, of a
// whole class: line by line, as the server gets on with it.
import { OFFLINE, Refused, ask } from './net.js';
import { el } from './paint.js';

const root = document.querySelector('[data-files]'),
  base = `/assignments/${root.dataset.files}`,
  count = (n, one, many) => `${n} ${n === 1 ? one : many}`;

// each sends a form and gives every line of the answer to take.
async function each(path, body, take) {
  let res;
  try {
    res = await fetch(path, { method: 'POST', body, headers: { Accept: 'application/json' } });
  } catch {
    throw new Refused(0, `${OFFLINE} What was done so far is kept; bring the same files in again for the rest.`);
  }
  if (!res.ok) {
    const data = await res.json().catch(() => null);
    throw new Refused(res.status, data?.error ?? 'Something went wrong on our side.', data?.code);
  }
  let rest = '';
  const words = new TextDecoder(),
    from = res.body.getReader();
  for (;;) {
    const { value, done } = await from.read().catch(() => {
      throw new Refused(
        0,
        'The line broke off. What was done so far is kept; bring the same files in again for the rest.',
      );
    });
    rest += done ? '' : words.decode(value, { stream: true });
    const lines = rest.split('\n');
    rest = lines.pop() ?? '';
    for (const line of lines.filter(Boolean)) {
      const data = JSON.parse(line);
      if (data.error) throw new Refused(0, data.error);
      take(data);
    }
    if (done) return;
  }
}

// working keeps a form from being sent twice, and shows what goes wrong in it.
function working(form, run) {
  const wrong = form.querySelector('[data-wrong]'),
    press = form.querySelector('button');
  form.addEventListener('submit', async (e) => {
    e.preventDefault();
    if (press.disabled) return;
    press.disabled = true;
    wrong.hidden = true;
    try {
      await run();
    } catch (err) {
      wrong.textContent = err.message;
      wrong.hidden = false;
    } finally {
      press.disabled = false;
    }
  });
}

const BECAME = {
  laid: 'Laid on the copy',
  there: 'It was there already',
  late: 'Laid on the copy. The assignment is closed, so it waits there: open it again, or give more time',
  submitted: 'Not laid: this copy is submitted, so nobody writes on it now',
  strange: 'Not laid: its code is of no copy here',
  'no code': 'Not laid: no code was found on it',
  'two sheets': 'Not laid: two sheets are in one picture',
};

function paper() {
  const form = root.querySelector('[data-paper]');
  if (!form) return;
  const far = form.querySelector('[data-far]'),
    box = root.querySelector('[data-pages]'),
    rows = box.querySelector('tbody');
  working(form, async () => {
    const files = [...form.elements.file.files];
    let laid = 0,
      seen = 0;
    rows.replaceChildren();
    for (const [i, file] of files.entries()) {
      far.textContent = files.length > 1 ? `Reading ${file.name}, ${i + 1} of ${files.length}…` : 'Reading the pages…';
      const body = new FormData();
      body.append('file', file);
      await each(`${base}/paper`, body, (p) => {
        seen++;
        if (p.outcome === 'laid' || p.outcome === 'late') laid++;
        box.hidden = false;
        rows.append(pageRow(file, p));
        if (p.of > 1) far.textContent = `Page ${p.page} of ${p.of}…`;
      }).catch((e) => {
        throw new Refused(e.status, files.length > 1 ? `${file.name}: ${e.message}` : e.message);
      });
    }
    far.textContent = `${count(laid, 'page was', 'pages were')} laid on copies, of ${seen}.`;
  });

  const pageRow = (file, p) => {
    const what = el('td', {}, p.outcome === 'elsewhere' ? `Not laid: it is of “${p.title}”` : BECAME[p.outcome]);
    if (p.picture) what.append(uncoded(p, what));
    return el(
      'tr',
      {},
      el('td', {}, p.of > 1 ? `${p.page}` : file.name),
      el('td', {}, p.student ? `${p.student}, page ${p.sheet}` : '—'),
      what,
    );
  };

  // uncoded lets somebody say whose a page is.
  const uncoded = (p, cell) => {
    const one = root.querySelector('[data-uncoded]').content.firstElementChild.cloneNode(true);
    const look = one.querySelector('img');
    let picture = new Blob([Uint8Array.from(atob(p.picture), (c) => c.charCodeAt(0))]);
    look.src = URL.createObjectURL(picture);
    one.querySelector('[data-turn]').addEventListener('click', async () => {
      picture = await quarter(look);
      URL.revokeObjectURL(look.src);
      look.src = URL.createObjectURL(picture);
    });
    working(one, async () => {
      const body = new FormData(one);
      body.append('file', picture, 'page.jpg');
      const done = await ask(`${base}/paper/page`, { method: 'POST', body });
      cell.previousElementSibling.textContent = `${done.student}, page ${done.sheet}`;
      cell.replaceChildren(BECAME[done.outcome]);
    });
    return one;
  };
}

// quarter gives a picture turned clockwise by a quarter.
function quarter(img) {
  const canvas = el('canvas', { width: img.naturalHeight, height: img.naturalWidth }),
    to = canvas.getContext('2d');
  to.translate(canvas.width, 0);
  to.rotate(Math.PI / 2);
  to.drawImage(img, 0, 0);
  return new Promise((done) => canvas.toBlob(done, 'image/jpeg', 0.9));
}

function away() {
  const form = root.querySelector('[data-away]'),
    print = form.querySelector('[data-print]');
  const fits = () => (print.disabled = !['printed', 'margin'].includes(form.elements.as.value));
  form.addEventListener('change', fits);
  fits();
}

const DOUBTS = {
  'later attempt': 'a later attempt came in meanwhile',
  returned: 'it is with the student: what is new goes there with the next Return',
  feedback: 'there is feedback already, and it stays',
  'by name': 'found by the file’s name alone',
};
const ASKED = ['later attempt', 'returned'];

function marked() {
  const form = root.querySelector('[data-marked]'),
    chosen = root.querySelector('[data-chosen]'),
    rows = chosen.querySelector('tbody'),
    take = chosen.querySelector('[data-take]'),
    boxes = () => [...chosen.querySelectorAll('input:checked')];
  const tell = () => {
    take.textContent = `Take ${count(boxes().length, 'file', 'files')} over`;
    take.disabled = !boxes().length;
  };
  const send = async (numbers, far, on) => {
    const body = new FormData();
    for (const f of form.elements.file.files) body.append('file', f);
    for (const n of numbers) body.append('take', n);
    await each(`${base}/marked`, body, (f) => {
      far.textContent = `${f.at + 1} of ${f.of}…`;
      on(f);
    });
  };
  form.elements.file.addEventListener('change', () => (chosen.hidden = true));
  working(form, async () => {
    const far = form.querySelector('[data-far]');
    rows.replaceChildren();
    chosen.hidden = true;
    chosen.querySelector('[data-far]').textContent = '';
    await send([], far, (f) => rows.append(fileRow(f)));
    far.textContent = '';
    chosen.hidden = false;
    tell();
  });
  chosen.addEventListener('change', tell);
  working(chosen, async () => {
    const far = chosen.querySelector('[data-far]'),
      numbers = boxes().map((b) => b.value);
    let done = 0;
    await send(numbers, far, (f) => {
      if (!numbers.includes(String(f.at))) return;
      if (f.taken) done++;
      const row = rows.children[f.at];
      row.querySelector('input').replaceWith(f.taken ? 'done' : '');
      if (f.wrong) row.lastElementChild.textContent = f.wrong;
    });
    far.textContent = `${count(done, 'file is', 'files are')} feedback now. Look the copies over before you return them.`;
    tell();
  });

  const fileRow = (f) => {
    const name = f.name.split('/').pop(),
      usable = !f.wrong && f.new > 0,
      box = el('input', {
        type: 'checkbox',
        className: 'size-5',
        value: String(f.at),
        disabled: !usable,
        checked: usable && !f.doubts.some((d) => ASKED.includes(d)),
      });
    box.setAttribute('aria-label', `Take ${name} over`);
    return el(
      'tr',
      {},
      el('td', {}, box),
      el(
        'td',
        {},
        f.copy
          ? el('a', { className: 'link', href: `${base}/marking?copy=${f.copy}` }, `${f.student}, attempt ${f.attempt}`)
          : name,
      ),
      el('td', {}, f.wrong ? '—' : f.new ? count(f.new, 'mark', 'marks') : 'nothing: it is all there'),
      el('td', { className: 'hint' }, f.wrong ?? (f.new ? f.doubts.map((d) => DOUBTS[d]).join('; ') : '')),
    );
  };
}

paper();
away();
marked();
