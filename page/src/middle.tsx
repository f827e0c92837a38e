import { useSignal } from '@preact/signals';
import { Curves } from './curves';
import { Dial } from './dial';
import { quantity, range } from './format';
import { post } from './server';
import { gather } from './gather';
import { book, chosen, play, sound, takes, tried, turn, turnedSounds, type Dial as Of, type Sound } from './state';
import { colourOf } from './tree';
import { Clip, Wave } from './wave';

/** What is being typed stays until it is entered, whatever the game says meanwhile. */
function NumberField(props: { id: string; dataKey: string; most: number; value: number; onSet(value: number): void }) {
  const draft = useSignal<string | null>(null);
  return (
    <input id={props.id} data-key={props.dataKey} type="number" min={0} max={props.most} value={draft.value ?? String(props.value)}
      onInput={(event) => (draft.value = event.currentTarget.value)} onBlur={() => (draft.value = null)}
      onChange={(event) => {
        const value = event.currentTarget.valueAsNumber;
        draft.value = null;
        if (Number.isFinite(value)) props.onSet(Math.round(value));
      }} />
  );
}

function Choices({ its }: { its: Sound }) {
  return (
    <>
      {its.choices.map((choice) => (
        <div class="row" key={choice.key}>
          <span class="key">{choice.key}</span>
          <div class="choice" role="group" aria-label={choice.key}>
            {choice.words.map((word, i) => (
              <button key={word} data-key={i === 0 ? choice.key : undefined} aria-pressed={word === choice.now} class={word === choice.now ? 'main' : ''}
                onClick={() => void turn([its.section, its.name, choice.key], { text: word })}>{word}</button>
            ))}
          </div>
          <span /><span />
        </div>
      ))}
      {(['limit', 'rank'] as const).map((key) => (
        <div class="row" key={key}>
          <label class="key" for={`number-${key}`}>{key}</label>
          <NumberField id={`number-${key}`} dataKey={key} most={key === 'rank' ? 9 : 1000} value={its[key]}
            onSet={(number) => void turn([its.section, its.name, key], { number })} />
          <output>{key === 'limit' ? (its.limit === 0 ? 'any number at once' : `${its.limit} at once`) : 'from 0, the first to yield, to 9'}</output><span />
        </div>
      ))}
    </>
  );
}

function Layers({ its }: { its: Sound }) {
  if (its.layers.length < 2) return null;
  return (
    <section>
      <h3>Layers</h3>
      <ul class="layers">
        {its.layers.map((layer, i) => (
          <li key={i} style={{ borderLeftColor: colourOf(its.group) }}>
            <strong>{layer.name || `layer ${i + 1}`}</strong>
            <small>{[layer.loops ? 'goes round' : '', layer.anywhere ? 'begins anywhere' : '', layer.chance < 1 ? `chance ${Math.round(layer.chance * 100)} %` : '',
              range(layer.gain[0], layer.gain[1], 'dB'), layer.pitch[0] || layer.pitch[1] ? range(layer.pitch[0], layer.pitch[1], 'st') : ''].filter(Boolean).join(', ')}</small>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Clips({ its }: { its: Sound }) {
  const most = 12;
  const clips = its.layers.flatMap((layer) => layer.clips.map((clip) => ({ ...clip, by: layer.by })));
  return (
    <section>
      <h3>Clips</h3>
      {clips.slice(0, most).map((clip) => (
        <Clip key={`${clip.path} ${clip.values}`} name={clip.path}
          note={[clip.by.map((trait, i) => `${trait} ${clip.values[i] ?? '*'}`).join(', '), clip.weight === 1 ? '' : `weight ${clip.weight}`].filter(Boolean).join(', ')} />
      ))}
      {clips.length > most && <p class="faint">and {clips.length - most} more</p>}
    </section>
  );
}

function Takes() {
  if (takes.value.length === 0) return null;
  return (
    <section aria-label="Takes">
      <h3>Takes</h3>
      {takes.value.map((take) => (
        <div class="take" key={take.number}>
          <span>{take.number}</span><Wave peaks={take.peaks} />
          <small>{take.why || `${take.clip}, ${take.gain === null ? 'silent' : quantity(take.gain, 'dB')}, ${quantity(take.pitch, 'st')}, ${take.loudness === null ? 'silent' : `${take.loudness} LUFS`}`}</small>
        </div>
      ))}
    </section>
  );
}

function Head({ title, about, children }: { title: string; about: string; children?: preact.ComponentChildren }) {
  return (
    <div class="head">
      <h2>{title}</h2><span class="faint">{about}</span><span class="spacer" />{children}
    </div>
  );
}

function SoundView({ its }: { its: Sound }) {
  const events = (book.value?.events ?? []).filter((event) => event.responses.some((response) => response.target === its.name && response.verb === 'start'));
  const shown = (dial: Of) => dial.was !== undefined || ['gain', 'pitch', 'pan'].includes(dial.key) || its.settings.some((setting) => setting.key === dial.key && setting.from !== 'default');
  const row = (dial: Of) => <Dial key={`${its.name} ${dial.key}`} dial={dial} section={its.section} name={its.name} />;
  const about = [its.group, its.world ? 'in the world' : 'on the screen', its.note, events.length > 0 ? `started by ${events.map((event) => event.name).join(', ')}` : 'no event starts it',
    turnedSounds.value.has(its.name) ? 'turned' : ''].filter(Boolean).join('; ');
  return (
    <>
      <Head title={its.name} about={about}>
        <button class="main" onClick={() => void play(1)}>Play <kbd>Space</kbd></button>
        <button onClick={() => void play(8)}>Again, 8 times</button>
        {events[0] && <button onClick={() => void tried(post('/raise', { event: events[0]!.name }))}>Raise {events[0].name}</button>}
      </Head>
      <section aria-label="What is drawn">{its.dials.filter(shown).map(row)}</section>
      <section aria-label="Again"><Choices its={its} /></section>
      <details>
        <summary>More keys: {its.dials.filter((dial) => !shown(dial)).map((dial) => dial.key).join(', ')}</summary>
        {its.dials.filter((dial) => !shown(dial)).map(row)}
      </details>
      <div class="cards">
        <Curves sound={its} colour={colourOf(its.group)} />
        <Layers its={its} />
        <Takes />
        <Clips its={its} />
      </div>
    </>
  );
}

function EventView({ name }: { name: string }) {
  const event = book.value?.events.find((its) => its.name === name);
  if (!event) return null;
  return (
    <>
      <Head title={event.name} about={`${event.responses.length} responses`}>
        <button class="main" onClick={() => void play(1)}>Play <kbd>Space</kbd></button>
        <button onClick={() => void tried(post('/raise', { event: event.name }))}>Raise it in the game</button>
      </Head>
      <ul class="layers">{event.responses.map((response, i) => <li key={i}><strong>{response.verb}</strong> {response.target}</li>)}</ul>
      <Takes />
    </>
  );
}

function GroupView({ name }: { name: string }) {
  const group = book.value?.groups.find((its) => its.name === name);
  if (!group) return null;
  const dial = { key: 'gain', unit: 'dB', low: group.gain, high: group.gain, least: -60, most: 12, step: 0.5, logarithmic: false, one: true };
  return (
    <>
      <Head title={group.name} about={group.parent ? `a group below ${group.parent}` : 'above all groups'} />
      <Dial key={group.name} dial={dial} section="groups" name={group.name} />
    </>
  );
}

export function Middle() {
  const its = chosen.value;
  if (!its) return <main><p class="faint">Choose a sound on the left.</p></main>;
  return (
    <main>
      {its.kind === 'sound' && (sound.value ? <SoundView its={sound.value} /> : <p class="faint">Reading {its.name}.</p>)}
      {its.kind === 'event' && <EventView name={its.name} />}
      {its.kind === 'group' && <GroupView name={its.name} />}
      {its.kind === 'clip' && (
        <>
          <Head title={its.name} about="in no sound yet"><button class="main" onClick={() => void gather('')}>Take in</button></Head>
          <div draggable onDragStart={(event) => event.dataTransfer?.setData('text/plain', its.name)}><Clip name={its.name} /></div>
          <p class="faint">Drag it onto a group on the left, or take in all clips that no sound uses: files that differ only in a number become one sound.</p>
        </>
      )}
    </main>
  );
}
