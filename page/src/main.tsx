import { render } from 'preact';
import { Game } from './game';
import { Middle } from './middle';
import { hush, post } from './server';
import { begin, book, connection, edits, figures, message, meters, missed, play, tried } from './state';
import { Tree } from './tree';
import { Turned } from './turned';

function Header() {
  const its = book.value, now = meters.value;
  return (
    <header>
      <h1>{its?.name ?? 'Tidewater desk'}</h1>
      <span class="faint">{its?.file}</span>
      <span class={connection.value.state === 'open' ? 'live' : 'alarm'} role="status">
        {connection.value.state === 'open' ? (its?.alone ? 'no game: the desk plays' : `${its?.game ?? 'the game'} runs`) : connection.value.why || 'connecting'}
      </span>
      <span class="spacer" />
      <span class="faint">{now ? `${now.voices} voices, ${now.dormant} dormant` : ''}{missed.value > 0 ? `, ${missed.value} lines missed` : ''}</span>
      <button disabled={edits.value.length === 0} onClick={() => void tried(post('/undo'))}>Undo</button>
      <button onPointerDown={() => void play(1, true)} onPointerUp={hush}>As before <kbd>B</kbd></button>
    </header>
  );
}

function Message() {
  const text = message.value || (book.value?.problems ?? []).join('\n');
  return (
    <div class="message" role="alert">
      {text && <><span>{text}</span><button class="small" aria-label="Close the message" onClick={() => (message.value = '')}>×</button></>}
    </div>
  );
}

document.addEventListener('keydown', (event) => {
  const on = event.target as HTMLElement;
  const writes = on.tagName === 'INPUT' || on.tagName === 'BUTTON' || on.tagName === 'SUMMARY';
  if (event.repeat || event.ctrlKey || event.metaKey || event.altKey) {
    if ((event.ctrlKey || event.metaKey) && event.key === 'z' && on.tagName !== 'INPUT') {
      event.preventDefault();
      void tried(post('/undo'));
    }
    return;
  }
  if (event.key === ' ' && !writes) {
    event.preventDefault();
    void play(1);
  }
  if (event.key === 'b' && on.tagName !== 'INPUT') void play(1, true);
});
document.addEventListener('keyup', (event) => {
  if (event.key === 'b') hush();
});

// What the tests and the benchmark read.
Object.assign(window, { deskFigures: figures });
render(<><Header /><Message /><Tree /><Middle /><Game /><Turned /></>, document.getElementById('desk')!);
begin();
