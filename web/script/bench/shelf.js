// shelf has the pictures that students may lay on the sheet.

import { el, icon } from '../paint.js';
import { ask } from '../net.js';
import { toast } from '../toast.js';
import { change, url, view } from './doc.js';
import { button, field } from './parts.js';

export const mode = { begin() {}, leave() {}, panel, paint() {}, down: () => null };

function panel() {
  const all = view.kit.shelf ?? [];
  const file = el('input', {
    type: 'file',
    multiple: true,
    accept: 'image/png,image/jpeg,image/webp,image/heic,.heic',
    className: 'sr-only',
    id: 'shelf-file',
    on: { change: () => bring([...file.files]) },
  });
  return [
    el(
      'section',
      {},
      el('h2', {}, 'Picture shelf'),
      el(
        'p',
        { className: 'hint mb-3' },
        'Pictures that students may lay on this sheet. They need no search and no other place.',
      ),
      el('label', { className: 'button', htmlFor: 'shelf-file' }, icon('plus'), 'Add pictures'),
      file,
    ),
    ...(all.length
      ? all.map((p, i) =>
          el(
            'article',
            { className: 'proposal shelf-picture' },
            el('img', { src: url(`/extras/${p.hash}`), alt: p.name }),
            field(
              'Name',
              p.name,
              (v) => {
                if (v.trim())
                  change((_, kit) => {
                    kit.shelf[i].name = v.trim();
                  }, `name ${i}`);
              },
              { maxLength: 100 },
            ),
            button(
              'bin',
              'Take it off',
              () =>
                change((_, kit) => {
                  kit.shelf.splice(i, 1);
                }),
              'quiet',
            ),
          ),
        )
      : [el('p', { className: 'hint' }, 'No pictures lie here yet.')]),
  ];
}

async function bring(files) {
  for (const f of files) {
    toast(`Bringing in ${f.name}…`);
    const data = new FormData();
    data.append('file', f);
    try {
      const p = await ask(url('/shelf'), { method: 'POST', body: data });
      change((_, kit) => {
        kit.shelf = [...(kit.shelf ?? []).filter((o) => o.hash !== p.hash), p];
      });
      toast(`${f.name} lies on the shelf.`);
    } catch (e) {
      toast(`${f.name}: ${e.message}`);
    }
  }
}
