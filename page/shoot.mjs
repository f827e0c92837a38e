// Takes the pictures of the desk: node page/shoot.mjs FOLDER. scripts/screenshots calls it, with build/release there.
import { spawn } from 'node:child_process';
import { cpSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { chromium } from 'playwright-core';

const root = fileURLToPath(new URL('..', import.meta.url));
const to = process.argv[2];
const folder = mkdtempSync(join(tmpdir(), 'desk-'));
cpSync(join(root, 'examples/harbour'), join(folder, 'harbour'), { recursive: true });
const book = 'harbour/book.toml';
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'] });

/** Runs a program that prints the desk's address, and takes one picture of its page. */
async function shoot(program, given, name, colorScheme, deeds) {
  const child = spawn(join(root, 'build/release', program), given, { cwd: folder, env: { ...process.env, SDL_AUDIODRIVER: 'dummy' } });
  const address = await new Promise((done) => child.stdout.on('data', (data) => {
    const found = String(data).match(/http:\/\/\S+#[0-9a-f]+/);
    if (found) done(found[0]);
  }));
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme });
  await page.goto(address);
  await page.getByRole('heading', { level: 1, name: 'harbour' }).waitFor();
  const post = (path, body) => page.evaluate(([where, what]) => fetch(where, {
    method: 'POST', headers: { Authorization: `Bearer ${sessionStorage.getItem('tidewater-desk-token')}` }, body: JSON.stringify(what),
  }).then(() => undefined), [path, body]);
  await deeds(page, post);
  await page.screenshot({ path: join(to, name) });
  await page.close();
  child.kill();
}
const choose = (page, name) => page.locator('nav').getByRole('button', { name: new RegExp(`^${name}`) }).first().click();

await shoot('examples/small/desk_in_game', [book], 'desk.png', 'light', async (page, post) => {
  await choose(page, 'engine');
  await post('/gauge', { gauge: 'throttle', value: 0.7 });
  await post('/raise', { event: 'trip.began' });
  await post('/turn', { path: ['sounds', 'engine', 'gain'], low: -7, high: -4.5, unit: 'dB' });
  await post('/turn', { path: ['sounds', 'buoy', 'far'], low: 120, high: 120, unit: 'm' });
  await page.getByText('whistle.blown').first().waitFor();
  await page.waitForFunction(() => window.deskFigures.lines > 900);
});
await shoot('tidewater', ['desk', book], 'desk-alone.png', 'dark', async (page, post) => {
  await choose(page, 'gulls');
  for (const event of ['quay.entered', 'rain.began']) await post('/raise', { event });
  for (const place of [[8, 0, -6], [-14, 0, -9], [20, 0, 12]]) await post('/raise', { event: 'gulls.cried', place });
  await page.getByRole('button', { name: 'Again, 8 times' }).click();
  await page.waitForFunction(() => document.querySelectorAll('.take').length === 8);
  await page.waitForFunction(() => window.deskFigures.lines > 60);
});
await browser.close();
rmSync(folder, { recursive: true, force: true });
