// Builds the page: one HTML file with script and style inside, and a policy that lets nothing else run.
//     node build.mjs [OUTPUT]
import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync, mkdirSync } from 'node:fs';
import { dirname } from 'node:path';
import { build } from 'esbuild';

const output = process.argv[2] ?? 'built/page.html';
const hash = (text) => `'sha256-${createHash('sha256').update(text).digest('base64')}'`;
const bundle = async (entry) => {
  const { outputFiles } = await build({
    entryPoints: [entry], bundle: true, minify: true, write: false, target: 'es2022', format: 'iife', charset: 'utf8', legalComments: 'none',
    jsx: 'automatic', jsxImportSource: 'preact',
  });
  return outputFiles[0].text.trim().replaceAll('</script', '<\\/script');
};
const script = await bundle('src/main.tsx');
const style = await bundle('src/style.css');
const policy =
  `default-src 'none'; script-src ${hash(script)}; style-src ${hash(style)}; connect-src 'self'; media-src blob:; img-src data:`;
const html = readFileSync('src/page.html', 'utf8')
  .replace('POLICY', () => policy)
  .replace('STYLE', () => style)
  .replace('SCRIPT', () => script);
mkdirSync(dirname(output), { recursive: true });
writeFileSync(output, html);
