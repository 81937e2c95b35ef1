// shelf has the pictures that students may lay on the sheet.

import { ask } from '../net.js';
import { toast } from '../toast.js';
import { change, url, view } from './doc.js';

const panel = {
  all: [],
  show() {
    this.all = (view.kit.shelf ?? []).map((p, at) => ({
      at,
      hash: p.hash,
      name: p.name,
      src: url(`/extras/${p.hash}`),
    }));
  },
  name(i, v) {
    if (v.trim())
      change((_, kit) => {
        kit.shelf[i].name = v.trim();
      }, `name ${i}`);
  },
  remove: (i) => change((_, kit) => kit.shelf.splice(i, 1)),
  async bring(input) {
    const files = [...input.files];
    input.value = '';
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
  },
};
export const mode = { begin() {}, leave() {}, panel, paint() {}, down: () => null };
