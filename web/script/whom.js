// whom shows the people of the courses that are chosen, and takes all or none of
// them; and asks before something is done that cannot be undone.

const courses = /** @type {NodeListOf<HTMLInputElement>} */ (document.querySelectorAll('input[name=course]'));
const groups = /** @type {NodeListOf<HTMLFieldSetElement>} */ (document.querySelectorAll('[data-of-course]'));

// Who is of a course that is not chosen is not in the form's way.
function show() {
  for (const g of groups) {
    const its = [...courses].find((c) => c.value === g.dataset.ofCourse);
    g.hidden = g.disabled = !!its && !its.checked;
  }
}
for (const c of courses) c.addEventListener('change', show);
show();

for (const g of groups) {
  const row = /** @type {HTMLElement | null} */ (g.querySelector('[data-all-none]'));
  if (!row) continue;
  row.hidden = false;
  row.addEventListener('click', (e) => {
    const every = /** @type {HTMLElement} */ (e.target).dataset.every;
    if (every)
      for (const box of /** @type {NodeListOf<HTMLInputElement>} */ (g.querySelectorAll('input[name=person]')))
        box.checked = every === 'true';
  });
}

document.addEventListener('submit', (e) => {
  const sure = /** @type {HTMLElement} */ (e.target).dataset.sure;
  if (sure && !window.confirm(sure)) e.preventDefault();
});
