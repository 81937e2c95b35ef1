// codes takes a code that was scanned out of the address into the form that asks
// for it, where nobody reads it over a shoulder later, and shows passwords to who
// wants to see what they type.

const form = /** @type {HTMLFormElement | null} */ (document.querySelector('form[data-coded]'));
if (form && location.hash.length > 1) {
  /** @type {HTMLInputElement} */ (form.elements.namedItem('code')).value = decodeURIComponent(location.hash.slice(1));
  history.replaceState(null, '', location.pathname);
  form.requestSubmit();
}

// The token of a letter is sent by the press alone.
const confirms = /** @type {HTMLFormElement | null} */ (document.querySelector('form[data-confirms]'));
if (confirms && location.hash.length > 1)
  /** @type {HTMLInputElement} */ (confirms.elements.namedItem('code')).value = decodeURIComponent(
    location.hash.slice(1),
  );

for (const box of /** @type {NodeListOf<HTMLInputElement>} */ (document.querySelectorAll('[data-shows]')))
  box.addEventListener('change', () => {
    for (const id of box.dataset.shows.split(' '))
      /** @type {HTMLInputElement} */ (document.getElementById(id)).type = box.checked ? 'text' : 'password';
  });
