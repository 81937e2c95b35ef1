// pages has what the pages around the sheet need: Alpine's components, which
// are registered here because the strict policy allows no script in markup.

import './leaving.js';
import './forms.js';
import { newId } from './ids.js';

document.addEventListener('alpine:init', () => {
  window.Alpine.data('printing', () => ({
    print() {
      window.print();
    },
  }));

  // bringin sends files with progress.
  window.Alpine.data('bringin', () => ({
    busy: false,
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
    send() {
      const form = this.$root,
        files = form.querySelector('input[type=file]').files;
      if (!files.length || this.busy) return;
      Object.assign(this, {
        busy: true,
        wrong: '',
        doing: `Bringing in ${files.length > 1 ? `${files.length} files` : files[0].name}`,
      });
      const request = new XMLHttpRequest(),
        name = newId();
      request.upload.onprogress = (e) => {
        this.$refs.bar.style.width = `${Math.round((e.loaded / e.total) * 90)}%`;
        if (e.loaded === e.total)
          this.watch(
            name,
            [...files].some((f) => /\.(docx|odt|pptx|odp|rtf)$/i.test(f.name))
              ? 'Turning it into pages, which takes some seconds'
              : 'Reading its pages',
          );
      };
      request.onload = () => {
        const answer = JSON.parse(request.responseText || '{}');
        if (request.status === 201) {
          this.$refs.bar.style.width = '100%';
          location.href = answer.at;
          return;
        }
        this.fail(answer.error ?? 'The file could not be brought in. Nothing was kept. Try again.');
      };
      request.onerror = () =>
        this.fail('The connection broke while the file was on its way. Nothing was kept. Try again.');
      request.open('POST', form.action);
      request.setRequestHeader('Accept', 'application/json');
      request.setRequestHeader('Readymargin-Progress', name);
      request.send(new FormData(form));
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

// A new course's time zone is the browser's own, where it is in the list.
const zones = document.querySelector('[data-zones]');
if (zones && !zones.querySelector('[selected]')) {
  const here = Intl.DateTimeFormat().resolvedOptions().timeZone;
  if (![...zones.options].some((o) => o.value === here)) zones.add(new Option(here, here));
  zones.value = here;
}

// All time zones that the browser knows can be searched, where one is to be typed.
const every = document.querySelector('[data-all-zones]');
if (every && Intl.supportedValuesOf)
  every.replaceChildren(...Intl.supportedValuesOf('timeZone').map((z) => new Option(z, z)));
