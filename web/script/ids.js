// ids makes names of marks and operations that sort by the time of their making.

let last = 0;
export function newId() {
  last = Math.max(Date.now(), last + 1);
  const random = crypto.getRandomValues(new Uint32Array(2));
  return (
    last.toString(36).padStart(9, '0') +
    '-' +
    random[0].toString(36).padStart(7, '0') +
    random[1].toString(36).padStart(7, '0')
  );
}
