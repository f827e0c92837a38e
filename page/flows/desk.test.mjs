// A working day at the desk, in a real browser: node --test page/flows
//     BUILD     folder of the build (default build/release)
// Waits are for states, never for a time.
import assert from 'node:assert/strict';
import { spawn } from 'node:child_process';
import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync, renameSync, copyFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, before, test } from 'node:test';
import { fileURLToPath } from 'node:url';
import { chromium } from 'playwright-core';

const root = fileURLToPath(new URL('../..', import.meta.url));
const build = process.env.BUILD ?? join(root, 'build/release');
const axePath = join(root, 'page/node_modules/axe-core/axe.min.js');
const chromiumArguments = ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking',
  '--disable-component-update', '--disable-sync', '--autoplay-policy=no-user-gesture-required'];

const longest = 20000; // milliseconds for a state to come: for a busy machine

let folder, book, game, address, browser, page;
const errors = [];

/** Starts a program, and resolves with the first address that it prints. */
function start(program, given) {
  const child = spawn(program, given, { env: { ...process.env, SDL_AUDIODRIVER: 'dummy' } });
  const printed = new Promise((done, failed) => {
    let text = '';
    child.stdout.on('data', (data) => {
      text += data;
      const found = text.match(/http:\/\/\S+#[0-9a-f]+/);
      if (found) done(found[0]);
    });
    child.stderr.on('data', (data) => (text += data));
    child.on('exit', () => failed(new Error(`${program} ended: ${text}`)));
  });
  return { child, printed };
}
const startGame = async () => {
  const started = start(join(build, 'examples/small/desk_in_game'), [book]);
  game = started.child;
  address = await started.printed;
};
const text = () => readFileSync(book, 'utf8');
const open = async (options = {}, to = address) => {
  const its = await browser.newPage({ viewport: { width: 1280, height: 800 }, ...options });
  its.setDefaultTimeout(longest);
  its.on('pageerror', (error) => errors.push(error.message));
  await its.goto(to);
  await its.getByRole('heading', { level: 1, name: 'harbour' }).waitFor();
  return its;
};
const choose = async (name, on = page) => {
  await on.getByLabel('Book', { exact: true }).getByRole('button', { name: new RegExp(`^${name}( |$|\\d|turned)`) }).first().click();
  await on.getByRole('heading', { level: 2, name, exact: true }).waitFor();
};
const api = async (path, body, on = page) => on.evaluate(async ([where, what]) => {
  const token = sessionStorage.getItem('tidewater-desk-token');
  const answer = await fetch(where, { method: what ? 'POST' : 'GET', headers: { Authorization: `Bearer ${token}` }, body: what ? JSON.stringify(what) : undefined });
  return { status: answer.status, text: await answer.text() };
}, [path, body]);
const axe = async (on) => {
  const source = readFileSync(axePath, 'utf8');
  await on.evaluate(source); // not as a script element: the page's policy refuses those
  return (await on.evaluate(() => axe.run())).violations.map((its) => `${its.id}: ${its.nodes.map((node) => node.target).join(' ')}`);
};
const turnedCount = (on, count) => on.getByRole('heading', { name: count === 0 ? 'Nothing is turned' : `Turned, not kept: ${count}` }).waitFor();

before(async () => {
  folder = mkdtempSync(join(tmpdir(), 'desk-'));
  cpSync(join(root, 'examples/harbour'), folder, { recursive: true });
  book = join(folder, 'book.toml');
  await startGame();
  browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: chromiumArguments });
  page = await open();
});
after(async () => {
  await browser?.close();
  game?.kill();
  rmSync(folder, { recursive: true, force: true });
});

test('the page takes the token out of its address, and a reload does not need it again', async () => {
  assert.equal(new URL(page.url()).hash, '');
  await page.reload();
  await page.getByRole('heading', { level: 1, name: 'harbour' }).waitFor();
});

test('it hears what happens, and says what was not heard with the nearest name', async () => {
  await page.waitForFunction(() => deskFigures.lines > 20);
  await page.getByText('whistle.blown').first().waitFor();
  await page.getByLabel('Groups', { exact: true }).getByText('effects').waitFor();
});

test('a level is turned with the mouse, is heard, and is undone as one drag', async () => {
  await choose('engine');
  const track = page.getByRole('group', { name: 'gain', exact: true }).locator('.track');
  const box = await track.boundingBox();
  await page.mouse.move(box.x + box.width * 0.7, box.y + 8);
  await page.mouse.down();
  for (let i = 1; i <= 20; ++i) await page.mouse.move(box.x + box.width * (0.7 - i * 0.02), box.y + 8);
  await page.mouse.up();
  await turnedCount(page, 1);
  await page.getByText('sounds.engine').waitFor();
  const playing = JSON.parse((await api('/playing')).text).playing.find((its) => its.sound === 'engine');
  assert.ok(playing.level < -35, `the engine plays at ${playing.level} dB`);
  await page.getByRole('button', { name: 'Undo' }).click();
  await turnedCount(page, 0);
  assert.ok(!text().includes('-41'), 'the book is as it was');
});

test('a level is turned by the keyboard alone', async () => {
  await choose('bell');
  const low = page.getByRole('slider', { name: 'gain, lowest' });
  await low.focus();
  const was = await low.getAttribute('aria-valuetext');
  await page.keyboard.press('ArrowLeft');
  await turnedCount(page, 1);
  await page.waitForFunction((old) => document.querySelector('[data-key="gain"]').getAttribute('aria-valuetext') !== old, was);
  await page.getByRole('button', { name: 'Give back' }).click();
  await turnedCount(page, 0);
});

test('a range is dragged by its middle, and its ends keep their distance', async () => {
  await choose('bell');
  const track = page.getByRole('group', { name: 'gain', exact: true }).locator('.track');
  const box = await track.boundingBox();
  await page.getByRole('slider', { name: 'gain, lowest' }).focus();
  await page.keyboard.press('PageDown'); // wide enough for a middle
  await turnedCount(page, 1);
  const ends = async () => Promise.all(['lowest', 'highest'].map(async (end) => parseFloat(await page.getByRole('slider', { name: `gain, ${end}` }).getAttribute('aria-valuenow'))));
  await page.waitForFunction(() => !document.querySelector('.track:active'));
  const [low, high] = await ends();
  const middle = box.x + ((low + high) / 2 + 60) / 72 * box.width;
  await page.mouse.move(middle, box.y + 8);
  await page.mouse.down();
  await page.mouse.move(middle - 60, box.y + 8, { steps: 6 });
  await page.mouse.up();
  await page.waitForFunction((old) => Number(document.querySelector('[data-key="gain"]').getAttribute('aria-valuenow')) < old - 5, low);
  const now = await ends();
  assert.ok(Math.abs(now[1] - now[0] - (high - low)) < 1.01, `${now} from ${[low, high]}`);
  await page.getByRole('button', { name: 'Give back' }).click();
  await turnedCount(page, 0);
});

test('what is turned is kept as the smallest edit of the book', async () => {
  const before = text().split('\n');
  await choose('buoy');
  await page.getByRole('slider', { name: 'far', exact: true }).first().focus();
  await page.keyboard.press('ArrowLeft');
  await turnedCount(page, 1);
  await page.getByRole('button', { name: 'Keep it in the book' }).click();
  await turnedCount(page, 0);
  await page.waitForFunction(() => document.querySelector('.message').textContent.includes('1 kept'));
  const now = text().split('\n');
  assert.equal(now.length, before.length);
  assert.equal(now.filter((line, i) => line !== before[i]).length, 1);
  assert.match(now.find((line, i) => line !== before[i]), /^far\s+= "\d+ m"/);
});

test('some edits are kept and some are not', async () => {
  await api('/turn', { path: ['sounds', 'bell', 'gain'], low: -11, high: -9, unit: 'dB' });
  await api('/turn', { path: ['sounds', 'rain', 'gain'], low: -13, high: -13, unit: 'dB' });
  await turnedCount(page, 2);
  await page.getByRole('button', { name: 'Choose' }).click();
  await page.getByRole('checkbox', { name: 'sounds.rain.gain' }).uncheck();
  await page.getByRole('button', { name: 'Keep 1 in the book' }).click();
  await turnedCount(page, 1);
  assert.match(text(), /gain\s+= "-11 dB \.\. -9 dB"/);
  assert.ok(!text().includes('"-13 dB"'));
  await page.getByRole('button', { name: 'Give back' }).click();
  await turnedCount(page, 0);
});

test('a choice and a number are turned', async () => {
  await choose('bell');
  await page.getByRole('button', { name: 'ignore' }).click();
  await page.getByRole('spinbutton', { name: 'limit' }).fill('2');
  await page.getByRole('spinbutton', { name: 'limit' }).press('Enter');
  await turnedCount(page, 2);
  const differences = await page.getByRole('group', { name: 'Differences' }).textContent();
  assert.match(differences, /retrigger = "ignore"/);
  assert.match(differences, /limit = 2/);
  await page.getByRole('button', { name: 'Give back' }).click();
  await turnedCount(page, 0);
});

test('a point of a curve and the far end are dragged', async () => {
  await choose('engine');
  const point = page.getByRole('slider', { name: /^pitch at throttle 0$/ });
  await point.focus();
  await page.keyboard.press('ArrowUp');
  await turnedCount(page, 1);
  const far = page.getByRole('slider', { name: 'far', exact: true }).last();
  const box = await far.boundingBox();
  await page.mouse.move(box.x + 6, box.y + 6);
  await page.mouse.down();
  await page.mouse.move(box.x - 40, box.y + 6, { steps: 8 });
  await page.mouse.up();
  await turnedCount(page, 2);
  await page.getByRole('button', { name: 'Give back' }).click();
  await turnedCount(page, 0);
});

test('a sound is played, eight times, and as before at equal loudness', async () => {
  await choose('gulls');
  await page.getByRole('button', { name: 'Again, 8 times' }).click();
  await page.waitForFunction(() => document.querySelectorAll('.take').length === 8);
  await page.waitForFunction(() => [...document.querySelectorAll('.take')].every((its) => its.textContent.includes('LUFS')));
  await page.locator('main h2').click();
  await page.keyboard.press('b');
  await page.waitForFunction(() => document.querySelectorAll('.take').length === 1);
});

test('a clip is seen with its length and loudness, and heard', async () => {
  await choose('bell');
  await page.getByText(/3\.4 s, -?\d+(\.\d)? LUFS/).waitFor();
  const answered = page.waitForResponse((its) => its.url().includes('/clip.wav'));
  await page.getByRole('button', { name: 'Hear bell.flac' }).click();
  assert.equal((await answered).status(), 200);
});

test('a group is muted and opened again', async () => {
  const mute = page.getByRole('button', { name: 'Mute effects' });
  await mute.click();
  await page.waitForFunction(() => document.querySelector('[aria-label="Mute effects"]').getAttribute('aria-pressed') === 'true');
  await mute.click();
  await page.waitForFunction(() => document.querySelector('[aria-label="Mute effects"]').getAttribute('aria-pressed') === 'false');
});

test('a group has a level that is turned in the book', async () => {
  await page.getByLabel('Groups', { exact: true }).getByRole('button', { name: 'music', exact: true }).click();
  await page.getByRole('slider', { name: 'gain' }).focus();
  await page.keyboard.press('ArrowLeft');
  await turnedCount(page, 1);
  await page.getByText('groups.music').waitFor();
  await page.getByRole('button', { name: 'Give back' }).click();
  await turnedCount(page, 0);
});

test('the search finds sounds, events and clips', async () => {
  const search = page.getByRole('searchbox');
  await search.fill('gull');
  await page.waitForFunction(() => document.querySelectorAll('nav li.sound').length === 1);
  await page.getByRole('button', { name: 'gulls.cried' }).click();
  await page.getByRole('heading', { name: 'gulls.cried' }).waitFor();
  await search.fill('');
});

test('a new file in the folder appears, is heard before it is taken in, and is taken in', async () => {
  copyFileSync(join(folder, 'clips/bell.flac'), join(folder, 'clips/foghorn.flac'));
  await page.reload();
  await page.getByRole('button', { name: 'foghorn.flac', exact: true }).click();
  await page.getByRole('button', { name: 'Take in' }).click();
  await page.waitForFunction(() => document.querySelector('.message').textContent.includes('taken in as'));
  assert.match(text(), /\[sounds\.foghorn\]/);
  await choose('foghorn');
});

test('somebody else changes the book: what is turned stays, and a conflict shows both values', async () => {
  await api('/turn', { path: ['sounds', 'bump', 'gain'], low: -15, high: -15, unit: 'dB' });
  await turnedCount(page, 1);
  const line = /(\[sounds\.bump\][\s\S]*?gain\s+= )"[^"]*"/;
  writeFileSync(book, text().replace(line, '$1"-2 dB"'));
  await page.getByRole('button', { name: 'Keep it in the book' }).click();
  await page.waitForFunction(() => /"-2 dB" now.*"-15 dB"/s.test(document.querySelector('.message').textContent));
  await turnedCount(page, 1);
  await page.getByRole('button', { name: 'Give back' }).click();
  await turnedCount(page, 0);
});

test('a book that is broken or gone is told, and comes back', async () => {
  const good = text();
  writeFileSync(book, good + '\n[sounds.broken\n');
  await page.waitForFunction(() => document.querySelector('footer').textContent.includes('book.toml'));
  writeFileSync(book, good);
  await page.waitForFunction(() => !document.querySelector('footer').textContent.includes('book.toml'));
  renameSync(book, book + '.away');
  await page.waitForFunction(() => document.querySelector('footer').textContent.includes('is gone'));
  renameSync(book + '.away', book);
  await page.waitForFunction(() => !document.querySelector('footer').textContent.includes('is gone'));
});

test('bad values are refused with words, and nothing is turned', async () => {
  for (const [body, says] of [
    [{ path: ['sounds', 'bell', 'gain'], text: 'loud' }, /loud/],
    [{ path: ['sounds', 'bell', 'gain'], low: -3, high: -1, unit: 'furlongs' }, /furlongs/],
    [{ path: ['sounds', 'bell', 'gain'], low: 1e9, high: 1e9, unit: 'dB' }, /dB/],
    [{ path: ['sounds', 'bell', 'gain'], low: null, high: 0, unit: 'dB' }, /number/],
    [{ path: ['sounds', 'a/b "c" ⚓', 'gain'], low: 0, high: 0, unit: 'dB' }, /./],
    [{ path: [] , number: 1 }, /path/],
    [{ path: ['sounds', 'bell', 'nonsense'], number: 1 }, /nonsense/],
  ]) {
    const answer = await api('/turn', body);
    assert.equal(answer.status, 422, JSON.stringify(body) + answer.text);
    assert.match(answer.text, says);
  }
  const clip = await api('/clip?name=../../../etc/passwd');
  assert.equal(clip.status, 422);
  await turnedCount(page, 0);
});

test('a second page sees what the first has turned', async () => {
  const second = await open();
  await api('/turn', { path: ['sounds', 'bell', 'pan'], text: '20 % left' });
  await turnedCount(second, 1);
  await second.getByRole('button', { name: 'Give back' }).click();
  await turnedCount(page, 0);
  await second.close();
});

test('without the token, and from elsewhere, it is refused', async () => {
  const bare = await browser.newPage();
  await bare.goto(address.split('#')[0]);
  await bare.getByText('does not have the key').first().waitFor();
  await bare.goto('data:text/html,<p>elsewhere');
  const got = await bare.evaluate((to) => fetch(`${to}turn`, { method: 'POST', body: '{}', headers: { Authorization: 'Bearer x' } }).then((its) => its.status, () => 'refused'), address.split('#')[0]);
  assert.equal(got, 'refused');
  await bare.close();
});

for (const colorScheme of ['light', 'dark'])
  test(`axe has nothing to say: ${colorScheme}`, async () => {
    const its = await open({ colorScheme });
    await api('/turn', { path: ['sounds', 'bell', 'gain'], low: -7, high: -7, unit: 'dB' });
    await turnedCount(its, 1);
    await choose('engine', its);
    await its.getByText('Level by distance').waitFor();
    assert.deepEqual(await axe(its), []);
    await its.getByRole('button', { name: 'Give back' }).click();
    await turnedCount(its, 0);
    await its.close();
  });

test('every control is reached by the keyboard', async () => {
  await choose('engine');
  await page.getByText('Level by distance').waitFor();
  const wanted = await page.evaluate(() => {
    const all = [...document.querySelectorAll('button:not(:disabled), input, [tabindex="0"], summary')].filter((its) => its.checkVisibility());
    all.forEach((its, i) => (its.dataset.number = String(i)));
    document.body.tabIndex = -1;
    document.body.focus();
    return all.length;
  });
  const seen = new Set();
  for (let i = 0; i < wanted + 3; ++i) {
    await page.keyboard.press('Tab');
    seen.add(await page.evaluate(() => document.activeElement.dataset.number));
  }
  seen.delete(undefined);
  const left = await page.evaluate((numbers) => [...document.querySelectorAll('[data-number]')].filter((its) => !numbers.includes(its.dataset.number)).map((its) => its.outerHTML.slice(0, 80)), [...seen]);
  assert.deepEqual(left, [], `${seen.size} of ${wanted}`);
});

test('on a phone nothing is wider than the screen', async () => {
  const phone = await open({ viewport: { width: 390, height: 844 } });
  await choose('engine', phone);
  await phone.getByText('Level by distance').waitFor();
  assert.ok((await phone.evaluate(() => document.documentElement.scrollWidth)) <= 390);
  await phone.close();
});

test('the game ends and comes back', async () => {
  game.kill();
  await page.getByText('the game has ended').first().waitFor();
  await startGame();
  await page.goto(address);
  await page.waitForFunction(() => document.querySelector('.live')?.textContent.includes('runs'));
});

test('no script of the page has failed', () => assert.deepEqual(errors, []));
