import { message, readBook, tried } from './state';
import { post } from './server';

interface Gathered { sounds: string[]; clips: number; notes: string[]; skipped: string[] }

/** Takes all clips that no sound uses into the book, and tells what came of it. */
export async function gather(group: string): Promise<void> {
  const its = await tried(post<Gathered>('/gather', { group }));
  if (!its) return;
  message.value = its.sounds.length === 0 ? `no new sounds${its.skipped.length > 0 ? `: ${its.skipped.join('; ')}` : ''}`
    : `${its.clips} clips taken in as ${its.sounds.join(', ')}${its.notes.length > 0 ? `. ${its.notes.join('; ')}` : ''}`;
  await readBook();
}
