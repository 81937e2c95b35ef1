// judging has the criteria of a question in the margin: which of their levels are
// chosen, and what these give.

const of = (box) => box.closest?.('li')?.querySelector('[data-judging]'),
  fields = (box) => [...(of(box)?.querySelectorAll('[data-criterion]') ?? [])],
  levels = (field) => [...field.querySelectorAll('input')];

// open shows the criteria of a question that is in hand, and those of no other.
export function open(box) {
  for (const d of document.querySelectorAll('[data-judging]')) /** @type {any} */ (d).open = d === of(box);
}

// chosen gives the levels that are chosen, by criterion, and what they give
// together: null while a criterion is open.
export function chosen(box) {
  const met = fields(box).map((f) => [f.dataset.criterion, levels(f).find((l) => l.checked)]);
  return {
    levels: Object.fromEntries(met.filter(([, l]) => l).map(([id, l]) => [id, l.value])),
    points: met.every(([, l]) => l) ? String(met.reduce((n, [, l]) => n + Number(l.dataset.gives), 0)) : null,
  };
}

// choose shows levels as chosen; null is none.
export function choose(box, by) {
  for (const f of fields(box)) for (const l of levels(f)) l.checked = by?.[f.dataset.criterion] === l.value;
}

// criteria gives what a question is judged by, to be pressed elsewhere too.
export const criteria = (question) =>
  fields(document.querySelector(`[data-question="${question}"]`) ?? {}).map((f) => ({
    text: f.querySelector('legend').textContent,
    levels: levels(f).map((l) => ({
      gives: l.dataset.gives,
      text: l.parentElement.querySelector('span').textContent,
      met: () => l.checked,
      choose() {
        l.checked = true;
        l.dispatchEvent(new Event('input', { bubbles: true }));
      },
    })),
  }));
