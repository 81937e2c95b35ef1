// Fetches the fonts of scripts beside Latin, Greek and Cyrillic from npm, in slices, and
// writes what lists them: core/typeset/fonts/scripts/ with its list for Go, and
// web/static/scripts.css for browsers. What it writes is committed.
//   node scripts/fonts.mjs
import { execFileSync } from 'node:child_process';
import { copyFileSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const VERSION = '5.3.0';
// Families as style sheets name them, and the slices that are taken: all, or one.
const FONTS = [
  ['arabic', 'noto-sans-arabic', 'RM Scripts', 'arabic'],
  ['hebrew', 'noto-sans-hebrew', 'RM Scripts', 'hebrew'],
  ['devanagari', 'noto-sans-devanagari', 'RM Scripts', 'devanagari'],
  ['thai', 'noto-sans-thai', 'RM Scripts', 'thai'],
  ['sc', 'noto-sans-sc', 'RM Han SC', null],
  ['jp', 'noto-sans-jp', 'RM Han JP', null],
  ['kr', 'noto-sans-kr', 'RM Han KR', null],
];
const into = 'core/typeset/fonts/scripts/';
const list = [],
  css = ['/* Written by scripts/fonts.mjs. */'];
const work = mkdtempSync(join(tmpdir(), 'fonts-'));
for (const [name, from, family, only] of FONTS) {
  const packed = execFileSync('npm', ['pack', '--silent', `@fontsource/${from}@${VERSION}`], { cwd: work, encoding: 'utf8' }).trim();
  execFileSync('tar', ['xzf', packed], { cwd: work });
  const ranges = JSON.parse(readFileSync(join(work, 'package/unicode.json'), 'utf8'));
  for (const [key, range] of Object.entries(ranges)) {
    const slice = key.replace(/[[\]]/g, '');
    if (only ? slice !== only : !/^\d+$/.test(slice)) continue;
    // Small ones are WOFF 1.0: WOFF 2.0 lets their glyphs be packed anew, and the library
    // that reads them in Go then has more of them than short offsets reach.
    const kind = only ? 'woff' : 'woff2',
      file = `${only ? name : `${name}-${slice}`}.${kind}`;
    copyFileSync(join(work, `package/files/${from}-${slice}-400-normal.${kind}`), `${into}${file}`);
    list.push(`${name} ${file} ${range.replaceAll('U+', '')}`);
    css.push(
      `@font-face{font-family:"${family}";src:url("../fonts/scripts/${file}") format("${kind}");font-display:block;unicode-range:${range}}`,
    );
  }
  copyFileSync(join(work, 'package/LICENSE'), `${into}${name}.LICENSE`);
  rmSync(join(work, 'package'), { recursive: true });
}
rmSync(work, { recursive: true });
writeFileSync(`${into}list.txt`, list.join('\n') + '\n');
writeFileSync('web/static/scripts.css', css.join('\n') + '\n');
