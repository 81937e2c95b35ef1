// Writes a PDF anew with pdf-lib: node rewrite.mjs MODULE IN OUT.
import { readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';

const [module, from, to] = process.argv.slice(2);
const { PDFDocument } = createRequire(import.meta.url)(module);
const file = await PDFDocument.load(readFileSync(from), { updateMetadata: false });
writeFileSync(to, await file.save());
