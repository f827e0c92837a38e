// A range to drag by either end or the middle.

import { useRef } from 'preact/hooks';
import { useSignal } from '@preact/signals';
import { quantity, range } from './format';
import { dragging, lastDraws, meters, newDrag, readSound, sound, turn, type Dial as Of } from './state';

type Grip = 'low' | 'high' | 'both';

/** Where a value lies on the scale, from 0 to 1. */
function place(dial: Of, value: number): number {
  const within = Math.min(dial.most, Math.max(dial.least, value));
  if (!dial.logarithmic) return (within - dial.least) / (dial.most - dial.least);
  return Math.log(within / dial.least) / Math.log(dial.most / dial.least);
}
function valueAt(dial: Of, share: number): number {
  const within = Math.min(1, Math.max(0, share));
  const value = dial.logarithmic ? dial.least * (dial.most / dial.least) ** within : dial.least + within * (dial.most - dial.least);
  return rounded(dial, value);
}
function rounded(dial: Of, value: number): number {
  if (dial.logarithmic) return parseFloat(value.toPrecision(3));
  return parseFloat((Math.round(value / dial.step) * dial.step).toFixed(4));
}
/** The next value for an arrow key. */
function stepped(dial: Of, value: number, steps: number): number {
  const next = dial.logarithmic ? (value <= 0 ? dial.least : value) * 1.06 ** steps : value + steps * dial.step;
  return rounded(dial, Math.min(dial.most, Math.max(dial.least, next)));
}

export function Dial({ dial, section, name }: { dial: Of; section: string; name: string }) {
  const track = useRef<HTMLDivElement>(null);
  const moved = useSignal<[number, number] | null>(null);
  const held = useRef<{ grip: Grip; drag: number; from: number; low: number; high: number } | null>(null);
  const [low, high] = moved.value ?? [dial.low, dial.high];
  const own = sound.value?.settings.find((its) => its.key === dial.key);

  const set = (nextLow: number, nextHigh: number, drag: number) => {
    const pair: [number, number] = dial.one ? [nextLow, nextLow] : nextLow <= nextHigh ? [nextLow, nextHigh] : [nextHigh, nextLow];
    moved.value = pair;
    const like = own && own.from !== 'default' ? own.value : undefined;
    void turn([section, name, dial.key], { low: pair[0], high: pair[1], unit: dial.unit, like }, drag).then(() => {
      if (held.current) return;
      void readSound().then(() => (moved.value = null));
    });
  };
  const share = (event: PointerEvent) => {
    const box = track.current!.getBoundingClientRect();
    return (event.clientX - box.left) / box.width;
  };
  const onPointerDown = (event: PointerEvent) => {
    const at = share(event);
    const toLow = Math.abs(at - place(dial, low)), toHigh = Math.abs(at - place(dial, high));
    const inside = at > place(dial, low) && at < place(dial, high);
    const near = 0.02;
    const grip: Grip = dial.one ? 'low' : inside && toLow > near && toHigh > near ? 'both' : toLow < toHigh || (toLow === toHigh && at < place(dial, low)) ? 'low' : 'high';
    held.current = { grip, drag: newDrag(), from: at, low, high };
    dragging.value = true;
    track.current!.setPointerCapture(event.pointerId);
    if (grip !== 'both') onPointerMove(event);
  };
  const onPointerMove = (event: PointerEvent) => {
    const its = held.current;
    if (!its) return;
    const at = share(event);
    if (its.grip === 'both') {
      const by = at - its.from;
      set(valueAt(dial, place(dial, its.low) + by), valueAt(dial, place(dial, its.high) + by), its.drag);
    } else {
      const value = valueAt(dial, at);
      set(its.grip === 'low' ? value : its.low, its.grip === 'high' ? value : its.high, its.drag);
    }
  };
  const onPointerUp = () => {
    if (!held.current) return;
    held.current = null;
    dragging.value = false;
    void readSound().then(() => (moved.value = null));
  };
  const onKey = (grip: 'low' | 'high') => (event: KeyboardEvent) => {
    const steps = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key];
    if (steps === undefined) return;
    event.preventDefault();
    const by = event.shiftKey ? steps * 10 : steps;
    if (dial.one || low === high) set(stepped(dial, low, by), stepped(dial, low, by), 0);
    else if (grip === 'low') set(Math.min(high, stepped(dial, low, by)), high, 0);
    else set(low, Math.max(low, stepped(dial, high, by)), 0);
  };

  const left = place(dial, low) * 100, right = place(dial, high) * 100;
  void meters.value; // the last draw moves on with the game
  const draws = lastDraws.get(name);
  const drawn = draws && (dial.key === 'gain' || dial.key === 'pitch' || dial.key === 'pan') ? draws[dial.key] : undefined;
  const thumb = (grip: 'low' | 'high', value: number, at: number) => (
    <span class="thumb" role="slider" tabIndex={0} data-key={grip === 'low' ? dial.key : undefined}
      aria-label={dial.one ? dial.key : `${dial.key}, ${grip === 'low' ? 'lowest' : 'highest'}`} aria-valuemin={dial.least} aria-valuemax={dial.most}
      aria-valuenow={value} aria-valuetext={quantity(value, dial.unit)} style={{ left: `${at}%` }} onKeyDown={onKey(grip)} />
  );
  const turned = dial.was !== undefined;
  return (
    <div class="row" role="group" aria-label={dial.key} title={own?.meaning}>
      <span class="key">{dial.key}</span>
      <div class="track" ref={track} onPointerDown={onPointerDown} onPointerMove={onPointerMove} onPointerUp={onPointerUp} onPointerCancel={onPointerUp}>
        {dial.was && <s style={{ left: `${place(dial, dial.was[0]) * 100}%`, width: `${Math.max(1, (place(dial, dial.was[1]) - place(dial, dial.was[0])) * 100)}%` }} />}
        <i style={{ left: `${left}%`, width: `${right - left}%` }} />
        {drawn !== undefined && <b style={{ left: `${place(dial, drawn) * 100}%` }} />}
        {thumb('low', low, left)}
        {!dial.one && low !== high && thumb('high', high, right)}
      </div>
      <output class={turned ? 'turned' : ''}>{range(low, high, dial.unit)}</output>
      {!dial.one && low === high
        ? <button class="small" aria-label={`Spread ${dial.key} into a range`} onClick={() => set(stepped(dial, low, -2), stepped(dial, high, 2), 0)}>±</button>
        : <span />}
    </div>
  );
}
