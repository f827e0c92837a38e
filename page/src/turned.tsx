// Below: what is turned and not kept.

import { useSignal } from '@preact/signals';
import { post } from './server';
import { edits, message, trouble, tried } from './state';

interface Kept { kept: number; problems: string[] }

export function Turned() {
  const choosing = useSignal(false);
  const left = useSignal(new Set<string>());
  const all = edits.value;
  const names = choosing.value ? all.map((edit) => edit.name).filter((name) => !left.value.has(name)) : [];
  const keep = async () => {
    const its = await tried(post<Kept>('/keep', { names }));
    choosing.value = false;
    left.value = new Set();
    if (its) message.value = its.problems.length > 0 ? its.problems.join('\n') : `${its.kept} kept in the book`;
  };
  const none = choosing.value && names.length === 0;
  return (
    <footer class={all.length > 0 || trouble.value ? 'some' : ''}>
      <div>
        <h2 aria-live="polite">{all.length === 0 ? 'Nothing is turned' : `Turned, not kept: ${all.length}`}</h2>
        {trouble.value && <p class="alarm">{trouble.value}</p>}
      </div>
      <div class="differences" tabIndex={0} role="group" aria-label="Differences">
        {all.map((edit) => {
          const key = String(edit.path[edit.path.length - 1]);
          const owner = edit.name.slice(0, Math.max(0, edit.name.length - key.length - 1));
          return (
            <div class="difference" key={edit.name}>
              {choosing.value && <input type="checkbox" aria-label={edit.name} checked={!left.value.has(edit.name)}
                onChange={() => {
                  const next = new Set(left.value);
                  if (!next.delete(edit.name)) next.add(edit.name);
                  left.value = next;
                }} />}
              <span class="faint">{owner}</span>
              {edit.was !== null && <del>- {key} = {edit.was}</del>}
              {edit.now !== null && <ins>+ {key} = {edit.now}</ins>}
            </div>
          );
        })}
      </div>
      {all.length > 0 && (
        <div class="deeds">
          <button class="main" disabled={none} onClick={() => void keep()}>{choosing.value ? `Keep ${names.length} in the book` : all.length === 1 ? 'Keep it in the book' : `Keep all ${all.length} in the book`}</button>
          <div>
            <button aria-pressed={choosing.value} onClick={() => (choosing.value = !choosing.value)}>Choose</button>
            <button disabled={none} onClick={() => void tried(post('/give-back', { names }))}>Give back</button>
          </div>
        </div>
      )}
    </footer>
  );
}
