// Level by distance, and what follows gauges, with points to drag.

import { useRef } from 'preact/hooks';
import { quantity } from './format';
import { bars, dragging, gaugeValues, meters, newDrag, readSound, turn, type Curve, type Follow, type Sound } from './state';

const width = 300, height = 140, left = 40, right = 10, top = 8, bottom = 18;
const inner = width - left - right, tall = height - top - bottom;

interface Scale { from: number; to: number; low: number; high: number }
const x = (scale: Scale, value: number) => left + ((value - scale.from) / (scale.to - scale.from || 1)) * inner;
const y = (scale: Scale, value: number) => top + ((scale.high - value) / (scale.high - scale.low || 1)) * tall;
const path = (points: [number, number][], scale: Scale) =>
  points.map(([a, b], i) => `${i === 0 ? 'M' : 'L'}${x(scale, a).toFixed(1)} ${y(scale, Math.max(scale.low, Math.min(scale.high, b))).toFixed(1)}`).join('');

function Axes({ scale, unitX, unitY }: { scale: Scale; unitX: string; unitY: string }) {
  const across = [0, 0.5, 1].map((share) => scale.from + share * (scale.to - scale.from));
  const up = [0, 0.5, 1].map((share) => scale.low + share * (scale.high - scale.low));
  return (
    <g class="axes">
      {up.map((value, i) => (
        <g key={value}>
          <line x1={left} x2={width - right} y1={y(scale, value)} y2={y(scale, value)} />
          <text x={left - 4} y={y(scale, value) + 3} text-anchor="end">{parseFloat(value.toFixed(1))}{i === 2 ? ` ${unitY}` : ''}</text>
        </g>
      ))}
      {across.map((value, i) => (
        <text key={value} x={x(scale, value)} y={height - 5} text-anchor={i === 0 ? 'start' : i === 2 ? 'end' : 'middle'}>
          {parseFloat(value.toPrecision(3))}{i === 2 && unitX ? ` ${unitX}` : ''}
        </text>
      ))}
    </g>
  );
}

interface Point { label: string; text: string; at: [number, number]; move(to: [number, number], drag: number): Promise<void>; steps: [number, number] }

/** A drawing with points that the pointer and the arrow keys move. */
function Plot(props: { label: string; scale: Scale; unitX: string; unitY: string; lines: { d: string; colour: string; dashed: boolean; name: string }[]; points: Point[]; now?: { at: number; text: string } }) {
  const svg = useRef<SVGSVGElement>(null);
  const held = useRef<{ point: number; drag: number } | null>(null);
  const { scale } = props;
  const valueAt = (event: PointerEvent): [number, number] => {
    const box = svg.current!.getBoundingClientRect();
    const px = ((event.clientX - box.left) / box.width) * width, py = ((event.clientY - box.top) / box.height) * height;
    return [scale.from + ((px - left) / inner) * (scale.to - scale.from), scale.high - ((py - top) / tall) * (scale.high - scale.low)];
  };
  const rest = () => {
    held.current = null;
    dragging.value = false;
    void readSound();
  };
  return (
    <svg ref={svg} viewBox={`0 0 ${width} ${height}`} role="group" aria-label={props.label}
      onPointerMove={(event) => {
        const its = held.current;
        if (its) void props.points[its.point]!.move(valueAt(event), its.drag).then(() => readSound());
      }}
      onPointerUp={() => held.current && rest()} onPointerCancel={() => held.current && rest()}>
      <Axes scale={scale} unitX={props.unitX} unitY={props.unitY} />
      {props.lines.map((line) => <path key={line.name} d={line.d} class="curve" stroke={line.colour} stroke-dasharray={line.dashed ? '6 3' : undefined} />)}
      {props.now && (
        <g class="now">
          <line x1={x(scale, props.now.at)} x2={x(scale, props.now.at)} y1={top} y2={height - bottom} />
          <text x={Math.min(width - 70, x(scale, props.now.at) + 4)} y={height - bottom - 4}>{props.now.text}</text>
        </g>
      )}
      {props.points.map((point, i) => (
        <circle key={point.label} class="point" r={6} cx={x(scale, point.at[0])} cy={y(scale, Math.max(scale.low, Math.min(scale.high, point.at[1])))} role="slider" tabindex={0}
          aria-label={point.label} aria-valuenow={point.at[1]} aria-valuetext={point.text}
          onPointerDown={(event) => {
            held.current = { point: i, drag: newDrag() };
            dragging.value = true;
            svg.current!.setPointerCapture(event.pointerId);
          }}
          onKeyDown={(event) => {
            const by = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
            if (!by) return;
            event.preventDefault();
            void point.move([point.at[0] + by[0]! * point.steps[0], point.at[1] + by[1]! * point.steps[1]], 0).then(() => readSound());
          }} />
      ))}
    </svg>
  );
}

export function Distance({ sound, colour }: { sound: Sound; colour: string }) {
  void meters.value; // where the nearest one is now moves with the game
  const scale = { from: 0, to: Math.max(1, sound.far * 1.1), low: -60, high: 0 };
  const nearest = bars.filter((bar) => bar.sound === sound.name && bar.to === Infinity && bar.away !== null).map((bar) => bar.away!).sort((a, b) => a - b)[0];
  const levelAt = (metres: number) => sound.distance.find((point) => point[0] >= metres)?.[1] ?? -120;
  const handle = (key: 'near' | 'far', value: number): Point => ({
    label: key, text: quantity(value, 'm'), at: [value, key === 'near' ? 0 : -60], steps: [Math.max(0.1, value * 0.06), 0],
    move: ([metres], drag) => {
      const next = key === 'near' ? Math.min(sound.far * 0.95, metres) : Math.max(sound.near * 1.05, metres);
      const rounded = parseFloat(Math.max(0.1, next).toPrecision(3));
      return turn([sound.section, sound.name, key], { low: rounded, high: rounded, unit: 'm' }, drag);
    },
  });
  return (
    <section>
      <h3>Level by distance</h3>
      <Plot label={`Level by distance: full to ${quantity(sound.near, 'm')}, nothing from ${quantity(sound.far, 'm')}`} scale={scale} unitX="m" unitY="dB"
        lines={[{ name: 'level', d: path(sound.distance, scale), colour, dashed: false }]} points={[handle('near', sound.near), handle('far', sound.far)]}
        now={nearest === undefined ? undefined : { at: nearest, text: `now ${quantity(nearest, 'm')}, ${quantity(levelAt(nearest), 'dB')}` }} />
    </section>
  );
}

const unitOf = (bends: string) => (bends === 'gain' ? 'dB' : bends === 'pitch' ? 'st' : bends === 'cadence' ? 'x' : 'Hz');

/** What one key does as a gauge moves. A cubic is drawn as such, steps as steps. */
function drawn(curve: Curve, between: string): [number, number][] {
  if (between === 'linear' || curve.points.length < 2) return curve.points;
  const all: [number, number][] = [];
  curve.points.forEach(([gauge, value], i) => {
    const next = curve.points[i + 1];
    all.push([gauge, value]);
    if (!next) return;
    if (between === 'step') all.push([next[0], value]);
    else for (let s = 1; s < 12; ++s) {
      const share = s / 12;
      all.push([gauge + share * (next[0] - gauge), value + share * share * (3 - 2 * share) * (next[1] - value)]);
    }
  });
  return all;
}

function FollowedBy({ sound, follow, curve, colour }: { sound: Sound; follow: Follow; curve: Curve; colour: string }) {
  const values = curve.points.map((point) => point[1]), gauges = curve.points.map((point) => point[0]);
  const low = Math.max(-60, Math.min(0, ...values)), high = Math.max(0, ...values);
  const scale = { from: follow.from ?? Math.min(...gauges), to: follow.to ?? Math.max(...gauges), low: low === high ? low - 1 : low, high: low === high ? high + 1 : high };
  const unit = unitOf(curve.bends);
  const points = curve.points.map(([gauge, value], i): Point => ({
    label: `${curve.bends} at ${follow.gauge} ${gauge}`, text: quantity(value, unit), at: [gauge, value], steps: [0, unit === 'dB' ? 0.5 : unit === 'Hz' ? 50 : 0.1],
    move: ([, to], drag) => {
      const rounded = parseFloat((unit === 'Hz' ? Math.max(20, to) : to).toFixed(unit === 'Hz' ? 0 : 1));
      const where = [sound.section, sound.name, 'follow', follow.number, curve.bends, i, 1];
      return turn(where, unit === 'x' ? { text: `x${Math.max(0.1, to).toFixed(2)}` } : { low: rounded, high: rounded, unit }, drag);
    },
  }));
  const now = gaugeValues.value[follow.gauge];
  return (
    <section>
      <h3>{`${curve.bends} by ${follow.gauge}`}</h3>
      <Plot label={`${curve.bends} by ${follow.gauge}`} scale={scale} unitX="" unitY={unit} lines={[{ name: curve.bends, d: path(drawn(curve, follow.between), scale), colour, dashed: false }]}
        points={points} now={now === undefined ? undefined : { at: now, text: `now ${parseFloat(now.toFixed(2))}` }} />
    </section>
  );
}

export function Curves({ sound, colour }: { sound: Sound; colour: string }) {
  return (
    <>
      {sound.world && <Distance sound={sound} colour={colour} />}
      {sound.follow.flatMap((follow) => follow.curves.map((curve) => <FollowedBy key={`${follow.number} ${curve.bends}`} sound={sound} follow={follow} curve={curve} colour={colour} />))}
    </>
  );
}
