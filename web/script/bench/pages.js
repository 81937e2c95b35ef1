// pages is the bench's first place: which pages there are, how, for whom.

import { el, icon } from '../paint.js';
import { ask, post } from '../net.js';
import { question } from '../dialogs.js';
import { toast } from '../toast.js';
import { showSaved } from '../saved.js';
import { change, doc, fresh, leaf, numbers, settled, size, undecided, url, view } from './doc.js';
import { choose, label, move } from './leaves.js';
import { button } from './parts.js';

const said = (l) =>
  ({
    heading: `Page ${l.page} looks like answers: it says “${l.proposal.heading}”.`,
    filled: `Page ${l.page} looks like answers: it repeats page ${l.proposal.of} with its blanks filled.`,
    written: `Page ${l.page} looks like answers: it is page ${l.proposal.of} with more written on it.`,
  })[l.proposal.kind];

const put = (i, what) =>
  change((leaves) => {
    Object.assign(leaves[i], what);
    doc.at = i;
  });

// turn turns the page in hand; what stands on it turns along.
async function turn(quarters) {
  const i = doc.at;
  let turned = structuredClone(leaf());
  const carries = turned.places || turned.questions || turned.said?.length;
  try {
    for (let n = 0; n < quarters; n++) {
      if (carries)
        turned = {
          ...turned,
          places: undefined,
          questions: undefined,
          said: undefined,
          ...(await ask(url('/turned'), { method: 'POST', json: { leaf: turned, height: size(turned).h } })),
        };
      else turned.turn = (turned.turn + 90) % 360;
    }
  } catch (e) {
    toast(e.message);
    return;
  }
  change((leaves) => {
    leaves[i] = turned;
  });
}

export function panel() {
  const l = leaf(),
    asked = view.leaves.filter(undecided),
    n = numbers();
  const parts = asked.map((a) => {
    const i = view.leaves.indexOf(a);
    return el(
      'article',
      { className: 'proposal' },
      el('p', {}, said(a)),
      el('p', { className: 'hint' }, 'Students must not get answers with the questions.'),
      el(
        'div',
        { className: 'row' },
        button('held', 'Hold it back', () => put(i, { use: 'held', decided: true }), 'next'),
        button('', 'Hand it out', () => put(i, { use: 'sheet', decided: true })),
        button('', 'Show it', () => choose(i, true), 'quiet'),
      ),
    );
  });
  if (l) {
    parts.push(
      el(
        'section',
        { className: 'in-hand' },
        el('h2', {}, label(l, n[doc.at])),
        l.proposal && l.decided
          ? el(
              'p',
              { className: 'hint' },
              `You decided: ${l.use === 'held' ? 'held back' : l.use === 'sheet' ? 'handed out' : 'left out'}.`,
            )
          : null,
        el(
          'div',
          { className: 'pair-of' },
          button('turn-left', 'Turn left', () => turn(3)),
          button('turn-right', 'Turn right', () => turn(1)),
          button('up', 'Earlier', () => move(doc.at, doc.at - 1)),
          button('later', 'Later', () => move(doc.at, doc.at + 1)),
          l.use === 'held'
            ? button('hand', 'Hand it out', () => put(doc.at, { use: 'sheet', decided: true }))
            : button('held', 'Hold it back', () => put(doc.at, { use: 'held', decided: true })),
          l.use === 'dropped'
            ? button('plus', 'Take it in', () => put(doc.at, { use: 'sheet', decided: true }))
            : button('out', 'Leave it out', () => put(doc.at, { use: 'dropped', decided: true })),
        ),
      ),
    );
  }
  const count = (u) => view.leaves.filter((x) => x.use === u).length,
    pages = (k) => `${k} ${k === 1 ? 'page' : 'pages'}`;
  parts.push(
    el(
      'p',
      { className: 'hint' },
      `${pages(count('sheet'))} for students${count('held') ? `, ${pages(count('held'))} held back` : ''}${count('dropped') ? `, ${pages(count('dropped'))} left out` : ''}.`,
    ),
  );
  view.remarks?.forEach((r, i) => {
    if (r)
      parts.push(
        el(
          'section',
          {},
          el('h2', {}, view.sources[i]),
          el('p', { className: 'hint' }, `${r} Lines may break elsewhere, so look the pages over.`),
        ),
      );
  });
  if (view.reading)
    parts.push(
      el(
        'p',
        { className: 'hint', role: 'status' },
        'Its words are still being read. Pages that look like answers are named here in a moment.',
      ),
    );
  parts.push(more(), ...uses());
  return parts;
}

// more takes the pages of another file in, behind the page in hand.
function more() {
  const file = el('input', {
    type: 'file',
    accept: document.querySelector('[data-screen]').dataset.takes,
    className: 'sr-only',
    id: 'more',
    on: {
      change: async () => {
        const data = new FormData();
        data.append('at', String(doc.at + 1));
        data.append('file', file.files[0]);
        showSaved('saving', 'Reading its pages…');
        try {
          await settled();
          fresh(await ask(url('/pages'), { method: 'POST', body: data }), true);
          doc.onChange(false);
        } catch (e) {
          toast(e.message);
        }
        showSaved('saved', 'Saved');
      },
    },
  });
  return el(
    'div',
    {},
    el('label', { className: 'button', htmlFor: 'more' }, icon('plus'), 'Add pages of another file'),
    file,
  );
}

// uses says where the worksheet is assigned, and what a change means there.
function uses() {
  if (!view.uses?.length) return [];
  const begun = view.uses.reduce((s, u) => s + u.Begun, 0);
  const list = el(
    'section',
    { className: 'uses' },
    el('h2', {}, 'Assigned'),
    ...view.uses.map((u) =>
      el(
        'p',
        {},
        el('a', { className: 'link', href: `/assignments/${u.AssignmentID}/marking` }, u.Title),
        el('span', { className: 'hint' }, ` ${u.Course}, ${u.Begun} begun`),
      ),
    ),
  );
  if (!view.changed) return [list];
  list.append(
    el(
      'p',
      { className: 'hint' },
      `You have changed it since. Blanks, directions and colours reach every copy; pages do not: ${begun === 1 ? '1 copy is begun and keeps those it has.' : `${begun} copies are begun and keep those they have.`}`,
    ),
    button('', 'Give the others the new one', async () => {
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
    }),
  );
  return [list];
}
