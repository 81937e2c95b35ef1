// pages has what the pages around the sheet need: Alpine's components, which
// are registered here because the strict policy allows no script in markup.

import './leaving.js';
import './codes.js';
import './forms.js';
import './listen.js';
import './classline.js';
import './whom.js';
import { newId } from './ids.js';
import * as lying from './handed.js';

const instructions = document.querySelectorAll('textarea[data-prose]');
if (instructions.length)
  import('./prose.js').then((prose) => {
    for (const field of instructions) prose.dress(field, { always: true });
  });

document.addEventListener('alpine:init', () => {
  window.Alpine.data('printing', () => ({
    print() {
      window.print();
    },
  }));

  // bringin sends files with progress.
  window.Alpine.data('bringin', () => ({
    busy: false,
    asking: false,
    question: '',
    several: '',
    doing: '',
    wrong: '',
    over() {
      this.$el.classList.add('over');
    },
    out() {
      this.$el.classList.remove('over');
    },
    drop(e) {
      this.out();
      if (e.dataTransfer.files.length) {
        this.$root.querySelector('input[type=file]').files = e.dataTransfer.files;
        this.send();
      }
    },
    // send brings in what was chosen; of several files it is asked what they are.
    send() {
      const files = this.files();
      if (!files.length || this.busy) return;
      if (files.length > 1)
        Object.assign(this, {
          asking: true,
          wrong: '',
          question: `${files.length} files: ${files.length} worksheets, or one?`,
          several: `${files.length} worksheets`,
        });
      else this.bring([files]);
    },
    files() {
      return [...this.$root.querySelector('input[type=file]').files];
    },
    // handed brings in what another program handed over.
    async handed() {
      const files = await lying.handed();
      if (!files.length || this.busy) return;
      await this.bring([files]);
      if (!this.wrong) await lying.done();
    },
    one() {
      this.bring([this.files()]);
    },
    each() {
      this.bring(this.files().map((f) => [f]));
    },
    // bring sends one worksheet after the other, each with its files.
    async bring(sheets) {
      this.asking = false;
      let at = '';
      for (const [i, files] of sheets.entries()) {
        const name = files.length > 1 ? `${files.length} files` : files[0].name;
        at = await this.post(files, sheets.length > 1 ? `${i + 1} of ${sheets.length}: ${name}` : name);
        if (!at) {
          if (i) this.wrong = `${this.wrong} The ${i > 1 ? `${i} before it are` : 'one before it is'} on your shelf.`;
          return;
        }
      }
      const course = new URLSearchParams(location.search).get('course');
      location.href = sheets.length > 1 ? '/worksheets' : at + (course ? `?course=${course}` : '');
    },
    // post sends the files of one worksheet, and returns where it is, '' for nowhere.
    async post(files, called) {
      Object.assign(this, { busy: true, wrong: '', doing: `Bringing in ${called}` });
      const form = this.$root,
        body = new FormData();
      for (const f of files) body.append('file', f);
      return new Promise((done) => this.request(form.action, body, files, done));
    },
    request(to, body, files, done) {
      const request = new XMLHttpRequest(),
        name = newId();
      request.upload.onprogress = (e) => {
        this.$refs.bar.style.width = `${Math.round((e.loaded / e.total) * 90)}%`;
        if (e.loaded === e.total)
          this.watch(
            name,
            [...files].some((f) => /\.(docx|odt|pptx|odp|xlsx|ods|rtf)$/i.test(f.name))
              ? 'Turning it into pages, which takes some seconds'
              : 'Reading its pages',
          );
      };
      request.onload = () => {
        const answer = JSON.parse(request.responseText || '{}');
        if (request.status === 201) {
          this.$refs.bar.style.width = '100%';
          done(answer.at);
          return;
        }
        this.fail(answer.error ?? 'The file could not be brought in. Nothing was kept. Try again.');
        done('');
      };
      request.onerror = () => {
        this.fail('The connection broke while the file was on its way. Nothing was kept. Try again.');
        done('');
      };
      request.open('POST', to);
      request.setRequestHeader('Accept', 'application/json');
      request.setRequestHeader('Readymargin-Progress', name);
      request.send(body);
    },
    // watch says how many files of others are before this one.
    async watch(name, words) {
      for (this.doing = words; this.busy;) {
        const { ahead } = await fetch(`/progress/${name}`)
          .then((r) => r.json())
          .catch(() => ({ ahead: 0 }));
        if (this.busy)
          this.doing =
            ahead > 1
              ? `${ahead} files of others are before yours`
              : ahead
                ? 'One file of somebody else is before yours'
                : words;
        await new Promise((ok) => {
          setTimeout(ok, 1000);
        });
      }
    },
    fail(words) {
      Object.assign(this, { busy: false, wrong: words });
      this.$root.querySelector('input[type=file]').value = '';
    },
  }));
});

// A form that takes a while says so: its button shows that work is going on.
document.addEventListener('submit', (e) => {
  const form = /** @type {HTMLFormElement} */ (e.target),
    button = e.submitter ?? form.querySelector('button');
  if (!button || e.defaultPrevented || form.hasAttribute('hx-post')) return;
  setTimeout(() => {
    button.setAttribute('aria-busy', 'true');
  }, 300);
  window.addEventListener('pageshow', () => button.removeAttribute('aria-busy'), { once: true });
});

// A new course's time zone is the browser's own.
const here = /** @type {HTMLInputElement | null} */ (document.querySelector('[data-here]'));
if (here && !here.value) here.value = Intl.DateTimeFormat().resolvedOptions().timeZone;

// All time zones that the browser knows can be searched, where one is to be typed.
const every = document.querySelector('[data-all-zones]');
if (every && Intl.supportedValuesOf)
  every.replaceChildren(...Intl.supportedValuesOf('timeZone').map((z) => new Option(z, z)));

// A page that runs as an installed program takes files that other programs hand over.
const install = () => navigator.serviceWorker?.register('/service-worker.js').catch(() => {});
if (window.matchMedia('(display-mode: standalone)').matches) install();
window.addEventListener('appinstalled', install);

// What was handed over is named, and what it may be for is offered.
const heard = document.querySelector('[data-handed]');
if (heard)
  lying.handed().then((files) => {
    const what = /** @type {HTMLElement} */ (document.querySelector('[data-handed-for]'));
    what.hidden = !files.length;
    heard.textContent = files.length
      ? files.map((f) => f.name).join(', ')
      : 'No file has arrived. Nothing is lost: it is where it was. Hand it over once more.';
    document.querySelector('[data-handed-drop]').addEventListener('click', async () => {
      await lying.done();
      location.href = '/';
    });
  });
