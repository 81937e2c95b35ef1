// closed waits until a dialog is closed. A dialog that was closed and opened
// again at once may still hear of the first closing: that is not the one.
export async function closed(dialog) {
  do await new Promise((heard) => dialog.addEventListener('close', heard, { once: true }));
  while (dialog.open);
}
