// net asks the server and turns every answer into a value or an error that
// can be shown: its message is a sentence for people.

export class Refused extends Error {
  constructor(status, message, code) {
    super(message);
    this.status = status;
    this.code = code;
  }
}

export const OFFLINE = 'There is no connection at the moment.';

let signInAgain = null; // set by dialogs.js: shows the dialog, resolves when signed in
export function onSignedOut(ask) {
  signInAgain = ask;
}

/**
 * What the server answers: data, or as a page the words that it drew, or as a file its name and bytes.
 * @param {string} path
 * @param {{method?: string, form?: Record<string, any>, json?: unknown, body?: BodyInit, signal?: AbortSignal, keepalive?: boolean, retry?: boolean, as?: 'page'|'file'}} [options]
 */
export async function ask(
  path,
  { method = 'GET', form, json, body, signal, keepalive = false, retry = true, as = undefined } = {},
) {
  const headers = { Accept: 'application/json' };
  if (json !== undefined) {
    headers['Content-Type'] = 'application/json';
    body = JSON.stringify(json);
  }
  if (form) body = new URLSearchParams(form);
  let res;
  try {
    res = await fetch(path, { method, headers, body, signal, keepalive });
  } catch (e) {
    throw new Refused(0, OFFLINE);
  }
  if (res.status === 204) return null;
  if (res.ok && as === 'page') return res.text();
  if (res.ok && as === 'file') {
    const name = /filename\*=UTF-8''([^;]+)/.exec(res.headers.get('Content-Disposition') ?? '')?.[1] ?? 'file';
    return { blob: await res.blob(), name: decodeURIComponent(name) };
  }
  const data = await res.json().catch(() => null);
  if (res.ok) return data;
  if (res.status === 401 && signInAgain && retry) {
    await signInAgain();
    return ask(path, { method, form, json, body, signal, keepalive, retry: false, as });
  }
  throw new Refused(res.status, data?.error ?? 'Something went wrong on our side.', data?.code);
}

export const post = (path, form) => ask(path, { method: 'POST', form: form ?? {} });
