// The right side: who sounds, meters, what was not heard, and the map from above.

import { useEffect, useRef } from 'preact/hooks';
import { post } from './server';
import { bars, book, chosen, choose, connection, figures, gameTime, gaugeValues, goTo, listener, meters, places, refusals, refusedAt, sound, tried } from './state';
import { colourOf } from './tree';

const shown = 12; // seconds
const lineHeight = 13;

/** Calls `draw` once for each picture, with the canvas cleared and scaled to the screen's pixels. */
function Canvas(props: { label: string; height: number; draw(context: CanvasRenderingContext2D, width: number, height: number): void; onPointerDown?(event: PointerEvent): void }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const draw = useRef(props.draw);
  draw.current = props.draw;
  useEffect(() => {
    let frame = 0;
    const next = () => {
      frame = requestAnimationFrame(next);
      const its = canvas.current;
      if (!its) return;
      const begun = performance.now();
      const scale = devicePixelRatio, width = its.clientWidth, height = its.clientHeight;
      if (its.width !== Math.round(width * scale) || its.height !== Math.round(height * scale)) {
        its.width = Math.round(width * scale);
        its.height = Math.round(height * scale);
      }
      const context = its.getContext('2d')!;
      context.setTransform(scale, 0, 0, scale, 0, 0);
      context.clearRect(0, 0, width, height);
      context.font = '10px "DejaVu Sans", system-ui, sans-serif';
      draw.current(context, width, height);
      figures.drawn.push(performance.now() - begun);
      if (figures.drawn.length > 600) figures.drawn.shift();
    };
    next();
    return () => cancelAnimationFrame(frame);
  }, []);
  return <canvas ref={canvas} class="drawing" style={{ height: `${props.height}px` }} role="img" aria-label={props.label} onPointerDown={props.onPointerDown} />;
}

const colours = { ink: '', faint: '', grid: '', alarm: '' };
function readColours(): void {
  const style = getComputedStyle(document.documentElement);
  for (const key of Object.keys(colours) as (keyof typeof colours)[]) colours[key] = style.getPropertyValue(`--${key}`).trim();
}
matchMedia('(prefers-color-scheme: dark)').addEventListener('change', readColours);

function drawTimeline(g: CanvasRenderingContext2D, width: number, height: number): void {
  if (!colours.ink) readColours();
  const now = gameTime(), from = now - shown, left = 66;
  const groups = (book.value?.groups ?? []).filter((group) => group.name !== 'master').map((group) => group.name);
  const groupOf = new Map((book.value?.sounds ?? []).map((its) => [its.name, its.group]));
  const at = (seconds: number) => left + ((seconds - from) / shown) * (width - left);
  const seen = new Map<string, { rows: number[]; bars: [number, number, string][] }>();
  for (const bar of bars) {
    if (bar.to < from || bar.from > now + 0.3) continue;
    const group = bar.group || groupOf.get(bar.sound) || 'master';
    const lane = seen.get(group) ?? { rows: [], bars: [] };
    seen.set(group, lane);
    let row = lane.rows.findIndex((end) => end <= bar.from);
    if (row < 0) row = lane.rows.length < 6 ? lane.rows.length : 5;
    lane.rows[row] = bar.to;
    lane.bars.push([row, bars.indexOf(bar), bar.sound]);
  }
  let y = 3;
  for (const group of groups) {
    const lane = seen.get(group);
    const rows = Math.max(1, lane?.rows.length ?? 0);
    g.fillStyle = colourOf(group);
    g.globalAlpha = 1;
    g.fillRect(0, y, 3, rows * lineHeight);
    g.fillStyle = lane ? colours.ink : colours.faint;
    g.fillText(group, 7, y + 10, left - 10);
    for (const [row, index, name] of lane?.bars ?? []) {
      const bar = bars[index]!;
      const x1 = Math.max(left, at(bar.from)), x2 = Math.min(width, at(Math.min(bar.to, now)));
      if (x2 < x1) continue;
      g.fillStyle = colourOf(group);
      g.globalAlpha = 0.7;
      g.fillRect(x1, y + row * lineHeight + 1, Math.max(2, x2 - x1), lineHeight - 3);
      if (x2 - x1 > 40) {
        g.globalAlpha = 1;
        g.fillStyle = colours.ink;
        g.fillText(name, x1 + 3, y + row * lineHeight + 10, x2 - x1 - 6);
      }
    }
    y += rows * lineHeight + 4;
    if (y > height - 12) break;
  }
  g.globalAlpha = 1;
  g.strokeStyle = colours.alarm;
  g.lineWidth = 1.5;
  for (let i = refusedAt.length - 1; i >= 0; --i) {
    const x = at(refusedAt[i]!);
    if (x < left) break;
    g.beginPath();
    g.moveTo(x - 3, height - 9); g.lineTo(x + 3, height - 3); g.moveTo(x + 3, height - 9); g.lineTo(x - 3, height - 3);
    g.stroke();
  }
  g.fillStyle = colours.ink;
  g.fillRect(width - 1, 0, 1, height);
}

const metresShown = 60;

function drawMap(g: CanvasRenderingContext2D, width: number, height: number): void {
  if (!colours.ink) readColours();
  const scale = Math.min(width, height * 1.6) / 2 / metresShown, cx = width / 2, cy = height / 2;
  const [lx, , lz] = listener.value;
  g.strokeStyle = colours.grid;
  g.fillStyle = colours.faint;
  for (const metres of [10, 20, 30]) {
    g.beginPath();
    g.arc(cx, cy, metres * scale, 0, 2 * Math.PI);
    g.stroke();
  }
  g.fillText('10 m', cx + 10 * scale + 2, cy - 2);
  const groupOf = new Map((book.value?.sounds ?? []).map((its) => [its.name, its.group]));
  const now = gameTime();
  const names = new Map<number, { text: string; x: number; y: number }>();
  for (const bar of bars) {
    if (bar.to < now || bar.from > now) continue;
    const place = places.get(bar.emitter);
    if (!place) continue;
    const away = Math.hypot(place[0] - lx, place[2] - lz);
    const size = Math.max(2, 9 + bar.gain / 5 - Math.log2(Math.max(1, away)));
    const x = Math.max(4, Math.min(width - 4, cx + (place[0] - lx) * scale)), y = Math.max(4, Math.min(height - 4, cy + (place[2] - lz) * scale));
    g.globalAlpha = 0.7;
    g.fillStyle = colourOf(bar.group || groupOf.get(bar.sound) || '');
    g.beginPath();
    g.arc(x, y, size, 0, 2 * Math.PI);
    g.fill();
    g.globalAlpha = 1;
    const name = away > metresShown ? `${bar.sound} ${Math.round(away)} m` : bar.sound;
    const known = names.get(bar.emitter);
    if (known === undefined) names.set(bar.emitter, { text: name, x: Math.min(width - 70, x + size + 2), y: y + 3 });
    else if (!known.text.split(', ').includes(name)) known.text += `, ${name}`;
  }
  g.fillStyle = colours.ink;
  for (const its of [...names.values()].slice(0, 12)) g.fillText(its.text, its.x, its.y, width - its.x);
  g.fillStyle = colours.ink;
  g.beginPath();
  g.moveTo(cx, cy - 8); g.lineTo(cx + 6, cy + 6); g.lineTo(cx - 6, cy + 6);
  g.fill();
}

/** A click plays what is chosen there; without a game it moves the listener with Shift. */
function onMap(event: PointerEvent): void {
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
  const scale = Math.min(box.width, box.height * 1.6) / 2 / metresShown;
  const x = listener.value[0] + (event.clientX - box.left - box.width / 2) / scale, z = listener.value[2] + (event.clientY - box.top - box.height / 2) / scale;
  if (event.shiftKey && book.value?.alone) return void tried(post('/listener', { x, z }));
  const its = chosen.value;
  const raised = its?.kind === 'event' ? its.name : book.value?.events.find((one) => one.responses.some((response) => response.target === sound.value?.name && response.verb === 'start'))?.name;
  if (raised) void tried(post('/raise', { event: raised, place: [x, listener.value[1], z] }));
}

/** The key that decided on a refusal. */
const deciders: Record<string, string> = {
  'too-soon': 'spacing', 'limit-reached': 'limit', 'already-playing': 'retrigger', 'out-of-range': 'far', 'pool-full': 'rank', dormant: 'rank', silent: 'gain', 'left-out': 'gain',
};

function Meters() {
  const its = meters.value;
  const groups = (book.value?.groups ?? []).filter((group) => its?.groups[group.name]);
  const share = (level: number) => Math.max(0, Math.min(100, ((level + 60) / 60) * 100));
  return (
    <section aria-label="Groups">
      <h3>Groups <small>LUFS of 3 s; bar: 0.4 s, mark: peak</small></h3>
      {groups.map((group) => {
        const { peak, momentary, short, mute } = its!.groups[group.name]!;
        return (
          <div class="meter" key={group.name}>
            <button class="plain" onClick={() => choose('group', group.name)}>{group.name}</button>
            <span class="bar"><i style={{ width: `${share(momentary)}%`, background: colourOf(group.name) }} /><b style={{ left: `${share(peak)}%` }} /></span>
            <span class="faint">{short <= -70 ? 'quiet' : short.toFixed(1)}</span>
            <button class={`small ${mute ? 'main' : ''}`} aria-label={`Mute ${group.name}`} aria-pressed={mute} onClick={() => void tried(post('/mute', { group: group.name, mute: !mute }))}>M</button>
          </div>
        );
      })}
    </section>
  );
}

function NotHeard() {
  return (
    <section aria-label="Not heard">
      <h3>Not heard</h3>
      {refusals.value.length === 0 && <p class="faint">Everything was heard so far.</p>}
      <ul class="why">
        {refusals.value.slice(0, 6).map((its, i) => {
          const key = deciders[its.outcome];
          return (
            <li key={`${its.at} ${i}`}>
              <span class={its.sound ? 'faint' : 'alarm'}>{its.at.toFixed(1)} s</span>
              <span><strong>{its.about}</strong> {its.why}{its.times > 1 ? ` (${its.times} times)` : ''} {key && its.sound && <button class="link" onClick={() => goTo(its.sound, key)}>{`turn ${key}`}</button>}</span>
            </li>
          );
        })}
      </ul>
    </section>
  );
}

function Gauges() {
  const gauges = book.value?.gauges ?? [];
  if (gauges.length === 0) return null;
  return (
    <section aria-label="Gauges">
      <h3>Gauges</h3>
      {gauges.map((gauge) => {
        const now = gaugeValues.value[gauge.name] ?? gauge.initial;
        return (
          <div class="gauge" key={gauge.name}>
            <label for={`gauge-${gauge.name}`}>{gauge.name}</label>
            <input id={`gauge-${gauge.name}`} type="range" min={gauge.from} max={gauge.to} step={(gauge.to - gauge.from) / 100} value={now}
              onInput={(event) => void tried(post('/gauge', { gauge: gauge.name, value: event.currentTarget.valueAsNumber }))} />
            <output>{parseFloat(now.toFixed(2))}</output>
          </div>
        );
      })}
    </section>
  );
}

export function Game() {
  if (connection.value.state !== 'open') return <aside><p class="alarm">{connection.value.why || 'connecting'}</p></aside>;
  return (
    <aside>
      <h3>Who sounds</h3>
      <Canvas label="Who sounds: the last twelve seconds by group" height={190} draw={drawTimeline} />
      <Meters />
      <NotHeard />
      <h3>From above</h3>
      <Canvas label="From above: the listener in the middle, and what sounds around it" height={130} draw={drawMap} onPointerDown={onMap} />
      <p class="faint">{book.value?.alone ? 'A click plays the chosen sound there; with Shift it moves the listener.' : 'A click plays the chosen sound there.'}</p>
      <Gauges />
    </aside>
  );
}
