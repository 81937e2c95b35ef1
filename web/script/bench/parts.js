// parts is what the bench's panels have in common. What they look like is in
// bench-panels.html; here they are told what to show.

import { change, doc, leaf } from './doc.js';

/** lines parts what is typed one a line. */
export const lines = (text) =>
  text
    .split('\n')
    .map((s) => s.trim())
    .filter(Boolean);

/** letGo forgets what was corrected of a kind on the leaf in hand. */
export const letGo = (what) =>
  change((leaves) => {
    delete leaves[doc.at][what];
  });

/** corrected says whether anything was. */
export const corrected = (what) => !!leaf()[what];
