// dialogs asks one question at a time, and lets people sign in again on top
// of the page.

import { closed } from './closing.js';
import { onSignedOut } from './net.js';

const dialog = (name) => document.querySelector(`[data-dialog="${name}"]`);

export function question(title, text, yes) {
  const d = dialog('ask');
  d.querySelector('[data-ask-title]').textContent = title;
  d.querySelector('[data-ask-text]').textContent = text;
  d.querySelector('[data-ask-yes]').textContent = yes;
  d.returnValue = '';
  d.showModal();
  return closed(d).then(() => d.returnValue === 'yes');
}

let asking = null;
onSignedOut(
  () =>
    (asking ??= new Promise((ok) => {
      const d = dialog('sign-in'),
        wrong = d.querySelector('[data-wrong]');
      d.showModal();
      d.querySelector('[data-yes]').onclick = async () => {
        try {
          const res = await fetch('/sign-in', {
            method: 'POST',
            headers: { Accept: 'application/json' },
            redirect: 'manual',
            body: new URLSearchParams({
              login: d.querySelector('#again-login').value,
              password: d.querySelector('#again-password').value,
            }),
          });
          if (res.type !== 'opaqueredirect')
            throw new Error(
              (await res.json().catch(() => null))?.error ??
                'Signing in did not work just now. Nothing is lost. Try again.',
            );
          d.close();
          asking = null;
          ok();
        } catch (e) {
          wrong.hidden = false;
          wrong.textContent = e.message;
        }
      };
    })),
);
export { dialog };
