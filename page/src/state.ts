// What the page shows. All of it is what the server has said: there is no second state of the mix here.

import { batch, computed, signal } from '@preact/signals';
import { Refused, get, hear, listen, post, type Line } from './server';

export interface Group { name: string; parent: string; gain: number; mute: boolean }
export interface TreeSound { name: string; group: string; note: string; track: boolean }
export interface BookEvent { name: string; responses: { verb: string; target: string }[] }
export interface Gauge { name: string; from: number; to: number; initial: number }
export type Path = (string | number)[];
export interface Edit { path: Path; name: string; was: string | null; now: string | null }
export interface Book {
  name: string; file: string; game: string; alone: boolean; groups: Group[]; sounds: TreeSound[]; events: BookEvent[]; gauges: Gauge[];
  unused: string[]; problems: string[]; edits: Edit[]; version: number; trouble: string; rate: number;
}
export interface Dial {
  key: string; unit: string; low: number; high: number; least: number; most: number; step: number; logarithmic: boolean; one: boolean;
  was?: [number, number];
}
export interface Curve { bends: string; points: [number, number][] }
export interface Follow { number: number; gauge: string; between: string; curves: Curve[]; from: number | null; to: number | null }
export interface Layer {
  name: string; gain: [number, number]; pitch: [number, number]; loops: boolean; anywhere: boolean; chance: number; by: string[];
  clips: { path: string; weight: number; values: string[] }[];
}
export interface Sound {
  name: string; group: string; section: 'sounds' | 'tracks'; world: boolean; near: number; far: number; limit: number; rank: number;
  note: string; together: string[]; settings: { key: string; value: string; from: string; meaning: string }[];
  dials: Dial[]; choices: { key: string; now: string; words: string[] }[]; distance: [number, number][]; follow: Follow[]; layers: Layer[];
}
export interface ClipFacts { seconds: number; channels: number; loudness: number | null; peaks: number[] }
export interface Take {
  number: number; clip: string; gain: number | null; pitch: number; loudness: number | null; seconds: number; peaks: number[]; why: string;
}
export type Chosen = { kind: 'sound' | 'event' | 'clip' | 'group'; name: string };

export const book = signal<Book | null>(null);
export const chosen = signal<Chosen | null>(null);
export const sound = signal<Sound | null>(null);
export const edits = signal<Edit[]>([]);
export const connection = signal<{ state: 'open' | 'lost' | 'refused' | 'opening'; why: string }>({ state: 'opening', why: '' });
export const message = signal('');
export const trouble = signal('');
export const missed = signal(0);
/** Whether a knob is being dragged: then the sound is not read again until it rests. */
export const dragging = signal(false);
export const turnedSounds = computed(() => new Set(edits.value.map((edit) => String(edit.path[1]))));

// The game.

export interface Meter { peak: number; momentary: number; short: number; gain: number; mute: boolean }
export interface Meters { at: number; rate: number; voices: number; most: number; dormant: number; groups: Record<string, Meter> }
export interface Bar { playback: string; sound: string; group: string; from: number; to: number; gain: number; emitter: number; away: number | null }
export interface Refusal { at: number; outcome: string; about: string; sound: string; why: string; times: number }
export const meters = signal<Meters | null>(null);
export const refusals = signal<Refusal[]>([]);
export const gaugeValues = signal<Record<string, number>>({});
export const listener = signal<[number, number, number]>([0, 0, 0]);
/** What is drawn many times a second is no signal: canvases read it when they draw. */
export const bars: Bar[] = [];
export const places = new Map<number, [number, number, number]>();
export const refusedAt: number[] = []; // seconds on the game's clock
export const lastDraws = new Map<string, { gain: number; pitch: number; pan: number }>();
export const meterMoment = { at: 0, when: 0 };
export const figures = { lines: 0, messages: 0, drawn: [] as number[], answered: [] as number[] };
// By the number of the raise.
const emitterOf = new Map<number, number>();
const eventOf = new Map<number, string>();
function remember<T>(map: Map<number, T>, raise: number, value: T): void {
  map.set(raise, value);
  if (map.size > 4000) map.delete(map.keys().next().value!);
}

/** Seconds on the game's clock, as smooth as the page's pictures. */
export const gameTime = () => (meters.value ? meterMoment.at + (performance.now() - meterMoment.when) / 1000 : 0);

const inDecibels = (text: unknown) => (typeof text === 'string' ? (text === 'silent' ? -120 : parseFloat(text)) : 0);
const inPan = (text: unknown) => {
  if (typeof text !== 'string') return 0;
  const share = parseFloat(text) / 100;
  return text.endsWith('left') ? -share : text.endsWith('right') ? share : 0;
};

function takeDecision(line: Line): void {
  const seconds = Number(line.at) / (book.value?.rate ?? 48000);
  const plays = ['started', 'dormant', 'silent', 'reading'].includes(line.outcome);
  if (plays && line.playback && line.sound) {
    const raise = Number(String(line.playback).split('.')[0]);
    bars.push({
      playback: line.playback, sound: line.sound, group: line.group ?? '', from: Number(line.starts ?? line.at) / (book.value?.rate ?? 48000),
      to: Infinity, gain: inDecibels(line.gain), emitter: emitterOf.get(raise) ?? 0, away: line.away ? parseFloat(line.away) : null,
    });
    if (bars.length > 4000) bars.splice(0, 1000);
    lastDraws.set(line.sound, { gain: inDecibels(line.gain), pitch: parseFloat(line.pitch ?? '0'), pan: inPan(line.pan) });
  }
  if (line.why && !['started', 'done', 'went-on', 'planned', 'reading'].includes(line.outcome)) {
    const refusal: Refusal = { times: 1, at: seconds, outcome: line.outcome, about: line.event ?? eventOf.get(line.id) ?? line.sound ?? '', sound: line.sound ?? '', why: line.why };
    // The same again counts on the line that is there.
    const same = refusals.value.find((its) => its.about === refusal.about && its.why === refusal.why);
    if (same) refusal.times = same.times + 1;
    refusals.value = [refusal, ...refusals.value.filter((its) => its !== same)].slice(0, 50);
    refusedAt.push(seconds);
    if (refusedAt.length > 500) refusedAt.splice(0, 250);
  }
}

function takePlace(emitter: number, place: unknown): void {
  if (Array.isArray(place) && place.length === 3) places.set(emitter, place as [number, number, number]);
}

function takeLine(line: Line): void {
  if (line.desk === 'meters') {
    meters.value = line as unknown as Meters;
    Object.assign(meterMoment, { at: line.at / line.rate, when: performance.now() });
  } else if (line.desk === 'edits') {
    const before = book.value?.version;
    edits.value = line.edits;
    trouble.value = line.trouble;
    if (before !== undefined && before !== line.version) void readBook();
    else if (!dragging.value) void readSound();
  } else if (line.desk === 'told') {
    message.value = line.what;
  } else if (line.request === 'listener' && line.listener === 0) {
    listener.value = line.place;
  } else if (line.request === 'gauge') {
    gaugeValues.value = { ...gaugeValues.value, [line.gauge]: line.value };
  } else if (line.request === 'raise') {
    remember(eventOf, line.id, line.event);
    if (line.place) {
      const emitter = line.emitter || -line.id; // a place without an emitter gets a number of its own
      remember(emitterOf, line.id, emitter);
      takePlace(emitter, line.place);
    }
  } else if (line.desk === 'places') {
    for (const [emitter, ...place] of line.places) {
      if (place.length === 0) places.delete(emitter);
      else takePlace(emitter, place);
    }
  } else if (line.outcome) {
    takeDecision(line);
  } else if (line.ended || line.fading) {
    const playback = line.ended ?? line.fading;
    const end = Number(line.at) / (book.value?.rate ?? 48000);
    for (const bar of bars) if (bar.playback === playback && bar.to === Infinity) bar.to = end + (line.fading ? parseFloat(line.fade) || 0 : 0);
  }
}

async function readPlaying(): Promise<void> {
  const now = await get<{ at: number; playing: Line[] }>('/playing');
  const rate = book.value?.rate ?? 48000;
  bars.length = 0;
  places.clear();
  for (const its of now.playing) {
    const emitter = its.emitter || (its.place ? -Number(String(its.playback).split('.')[0]) : 0);
    bars.push({
      playback: its.playback, sound: its.sound, group: its.group, from: now.at / rate - 12, to: Infinity, gain: its.level, emitter, away: its.away,
    });
    takePlace(emitter, its.place);
  }
}

export async function readBook(): Promise<void> {
  try {
    const its = await get<Book>('/book');
    batch(() => {
      book.value = its;
      edits.value = its.edits;
      trouble.value = its.trouble;
      document.title = `${its.name} on the desk`;
      if (!chosen.value && its.sounds[0]) chosen.value = { kind: 'sound', name: its.sounds[0].name };
    });
    await readSound();
  } catch (error) {
    if (error instanceof Refused && error.status !== 401) message.value = error.message;
  }
}

export async function readSound(): Promise<void> {
  const now = chosen.value;
  if (now?.kind !== 'sound') return;
  try {
    const its = await get<Sound>('/sound', { name: now.name });
    if (chosen.value === now) sound.value = its;
  } catch (error) {
    sound.value = null;
    if (error instanceof Refused && error.status !== 401) message.value = error.message;
  }
}

export function choose(kind: Chosen['kind'], name: string): void {
  batch(() => {
    chosen.value = { kind, name };
    if (kind === 'sound' && sound.value?.name !== name) sound.value = null;
  });
  void readSound();
}

/** Chooses what decided on a refusal, and puts the keyboard's focus on its key. */
export function goTo(soundName: string, key: string): void {
  choose('sound', soundName);
  const look = (left: number) => {
    const control = document.querySelector<HTMLElement>(`[data-key="${key}"]`);
    const folded = control?.closest('details');
    if (folded) folded.open = true;
    if (control && sound.value?.name === soundName) control.focus();
    else if (left > 0) requestAnimationFrame(() => look(left - 1));
  };
  look(120);
}

/** Runs a request and shows its problem. */
export async function tried<T>(what: Promise<T>): Promise<T | undefined> {
  try {
    const its = await what;
    message.value = '';
    return its;
  } catch (error) {
    message.value = error instanceof Error ? error.message : String(error);
    return undefined;
  }
}

let dragNumber = Date.now();
export const newDrag = () => ++dragNumber;

export interface Turned { also: string[]; reloads: boolean }
const waiting = new Map<string, unknown>();
const underWay = new Set<string>();

/** Turns one key. While an answer is under way the newest value waits, so that a drag never lags behind. */
export async function turn(path: Path, value: Record<string, unknown>, drag = 0): Promise<void> {
  const name = path.join('.');
  waiting.set(name, { path, drag, ...value });
  if (underWay.has(name)) return;
  underWay.add(name);
  try {
    for (let body = waiting.get(name); body !== undefined; body = waiting.get(name)) {
      waiting.delete(name);
      const begun = performance.now();
      const its = await tried(post<Turned>('/turn', body));
      figures.answered.push(performance.now() - begun);
      if (figures.answered.length > 1000) figures.answered.shift();
      if (its === undefined) await readSound();
      else if (its.also.length > 0) message.value = `also ${its.also.join(', ')}, by like`;
    }
  } finally {
    underWay.delete(name);
  }
}

let seed = 1;
export const takes = signal<Take[]>([]);
/** Plays takes of what is chosen, as it is turned now, or as the book has it. */
export async function play(times: number, before = false): Promise<void> {
  const now = chosen.value;
  if (now?.kind === 'clip') return void tried(hear('/clip.wav', { name: now.name }));
  if (!now || now.kind === 'group') return;
  const asked: Record<string, string | number> = { name: now.name, times, seed: before ? seed : ++seed };
  if (before) asked.before = 1;
  const heard = tried(hear('/takes.wav', asked));
  const its = await tried(get<{ takes: Take[] }>('/takes', asked));
  if (its) takes.value = its.takes;
  await heard;
}

export function begin(): void {
  void listen({
    lines(lines) {
      figures.messages++;
      figures.lines += lines.length;
      batch(() => lines.forEach(takeLine));
    },
    missed(count) {
      missed.value += count;
      void readPlaying();
    },
    state(state, why) {
      const before = connection.value.state;
      connection.value = { state, why };
      if (state === 'open' && before !== 'open') void readBook().then(() => tried(readPlaying()));
      if (state === 'lost') meters.value = null;
    },
  });
}
