// squares finds the crossings of a grid that is printed on the page, in the
// page's picture, so that points and ends of lines can be set on them.

import { core } from './core.js';

const AROUND = 13; // points
const canvas = document.createElement('canvas').getContext('2d', { willReadFrequently: true });

// toSquare gives the crossing near a place, or null.
export function toSquare(p) {
  const { img, w } = p.sheet,
    k = img.naturalWidth / w;
  if (!img.complete || !k) return null;
  const side = Math.round(2 * AROUND * k),
    x = Math.round((p.x - AROUND) * k),
    y = Math.round((p.y - AROUND) * k);
  canvas.canvas.width = canvas.canvas.height = side;
  canvas.fillStyle = '#fff';
  canvas.fillRect(0, 0, side, side);
  canvas.drawImage(img, x, y, side, side, 0, 0, side, side);
  const { data } = canvas.getImageData(0, 0, side, side),
    grey = new Uint8Array(side * side);
  for (let i = 0; i < grey.length; i++) grey[i] = 0.3 * data[4 * i] + 0.59 * data[4 * i + 1] + 0.11 * data[4 * i + 2];
  const at = core.crossing(grey, side, side / 2, side / 2);
  return at && { ...p, x: (x + at[0] + 0.5) / k, y: (y + at[1] + 0.5) / k };
}
