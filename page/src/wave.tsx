import { useEffect } from 'preact/hooks';
import { signal } from '@preact/signals';
import { seconds } from './format';
import { get, hear } from './server';
import { tried, type ClipFacts } from './state';

const facts = new Map<string, ReturnType<typeof signal<ClipFacts | string | null>>>();

/** Peaks as a band around the middle. */
export function Wave({ peaks }: { peaks: number[] }) {
  const loudest = Math.max(0.001, ...peaks);
  const d = peaks.map((peak, i) => `M${i} ${(10 - (peak / loudest) * 9.5).toFixed(1)}V${(10 + (peak / loudest) * 9.5).toFixed(1)}`).join('');
  return <svg class="wave" viewBox={`0 0 ${Math.max(1, peaks.length)} 20`} preserveAspectRatio="none" aria-hidden="true"><path d={d} /></svg>;
}

/** A clip with its waveform, its length and its loudness; heard at a click. */
export function Clip({ name, note }: { name: string; note?: string }) {
  if (!facts.has(name)) facts.set(name, signal<ClipFacts | string | null>(null));
  const its = facts.get(name)!;
  useEffect(() => {
    if (its.value === null) get<ClipFacts>('/clip', { name }).then((value) => (its.value = value), (error) => (its.value = String(error.message)));
  }, [name]);
  const known = its.value;
  return (
    <div class="clip-row">
      <button aria-label={`Hear ${name}`} onClick={() => void tried(hear('/clip.wav', { name }))}>▶</button>
      {known !== null && typeof known === 'object' ? <Wave peaks={known.peaks} /> : <span class="wave" />}
      <span>
        <strong>{name}</strong>
        <small>
          {typeof known === 'string' ? known
            : known ? `${seconds(known.seconds)}, ${known.loudness === null ? 'silent' : `${known.loudness} LUFS`}${known.channels > 1 ? ', stereo' : ''}` : 'reading'}
          {note ? `, ${note}` : ''}
        </small>
      </span>
    </div>
  );
}
