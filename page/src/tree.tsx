import { useSignal } from '@preact/signals';
import type { ComponentChildren } from 'preact';
import { lanes } from './format';
import { gather } from './gather';
import { book, choose, chosen, turnedSounds, type Chosen } from './state';

/** The colour of a group's lane, as in the library's pictures. */
export function colourOf(group: string): string {
  const groups = (book.value?.groups ?? []).filter((its) => its.name !== 'master').map((its) => its.name);
  const number = groups.indexOf(group);
  const colours = lanes();
  return number < 0 ? colours[colours.length - 1]! : colours[number % colours.length]!;
}

function Item(props: { kind: Chosen['kind']; name: string; note?: string; colour?: string; children?: ComponentChildren }) {
  const { kind, name } = props;
  const on = chosen.value?.kind === kind && chosen.value.name === name;
  const turned = kind === 'sound' && turnedSounds.value.has(name);
  return (
    <li class={kind} style={{ borderLeftColor: props.colour ?? 'transparent' }}>
      <button class={on ? 'on' : ''} aria-current={on} onClick={() => choose(kind, name)}>
        <span class="name">{name}</span>
        {turned && <span class="dot" role="img" aria-label="turned, not kept">●</span>}
        <small>{props.note}</small>
      </button>
    </li>
  );
}

/** Takes the files in the folder that no sound uses into the book, below a group. */
function dropOn(group: string) {
  return {
    onDragOver: (event: DragEvent) => event.preventDefault(),
    onDrop: (event: DragEvent) => {
      event.preventDefault();
      void gather(group);
    },
  };
}

export function Tree() {
  const search = useSignal('');
  const its = book.value;
  if (!its) return null;
  const wanted = search.value.trim().toLowerCase();
  const fits = (name: string) => name.toLowerCase().includes(wanted);
  const events = its.events.filter((event) => fits(event.name));
  const unused = its.unused.filter(fits);
  return (
    <nav aria-label="Book">
      <input type="search" aria-label="Search sounds, events and clips" placeholder="Search sounds, events, clips" value={search.value}
        onInput={(event) => (search.value = event.currentTarget.value)} />
      <ul>
        {its.groups.map((group) => {
          const sounds = its.sounds.filter((sound) => sound.group === group.name && (fits(sound.name) || fits(group.name)));
          if (sounds.length === 0 && (wanted || group.name === 'master')) return null;
          const colour = colourOf(group.name);
          return (
            <li key={group.name}>
              <ul {...dropOn(group.name)} aria-label={`Group ${group.name}`}>
                <Item kind="group" name={group.name} note={group.gain <= -120 ? 'silent' : `${group.gain} dB`} colour={colour} />
                {sounds.map((sound) => <Item key={sound.name} kind="sound" name={sound.name} note={sound.note} colour={colour} />)}
              </ul>
            </li>
          );
        })}
      </ul>
      <details open={wanted !== ''}>
        <summary>Events <small>{events.length}</small></summary>
        <ul>{events.map((event) => <Item key={event.name} kind="event" name={event.name} />)}</ul>
      </details>
      <details open={unused.length > 0}>
        <summary>Clips that no sound uses <small>{unused.length}</small></summary>
        <ul>{unused.map((clip) => <Item key={clip} kind="clip" name={clip} />)}</ul>
      </details>
    </nav>
  );
}
