// Requests to the server that sent the page. The token came in the address's fragment, which no request carries.

const kept = 'tidewater-desk-token';
const given = location.hash.slice(1);
if (given) {
  sessionStorage.setItem(kept, given);
  history.replaceState(null, '', '/');
}
const headers = { Authorization: 'Bearer ' + (sessionStorage.getItem(kept) ?? '') };

/** A request that was refused; the message is for people. */
export class Refused extends Error {
  constructor(message: string, readonly status: number) {
    super(message);
  }
}

async function checked(answer: Response): Promise<Response> {
  if (answer.ok) return answer;
  const text = await answer.text();
  let problem = text;
  try {
    problem = JSON.parse(text).problem ?? text;
  } catch {
    // It is plain text.
  }
  throw new Refused(problem, answer.status);
}

const query = (parameters: Record<string, string | number>) =>
  new URLSearchParams(Object.entries(parameters).map(([key, value]) => [key, String(value)])).toString();

export async function get<T>(path: string, parameters: Record<string, string | number> = {}): Promise<T> {
  return (await checked(await fetch(`${path}?${query(parameters)}`, { headers }))).json();
}

export async function post<T>(path: string, body: unknown = {}): Promise<T> {
  return (await checked(await fetch(path, { method: 'POST', headers, body: JSON.stringify(body) }))).json();
}

const player = new Audio();
let playing = '';

/** Fetches sound and plays it; what played before stops. Resolves when it begins. */
export async function hear(path: string, parameters: Record<string, string | number>): Promise<void> {
  const answer = await checked(await fetch(`${path}?${query(parameters)}`, { headers }));
  const address = URL.createObjectURL(await answer.blob());
  player.src = address;
  if (playing) URL.revokeObjectURL(playing);
  playing = address;
  await player.play().catch(() => undefined); // a browser without sound plays nothing
}

export function hush(): void {
  player.pause();
}

/** One line of the feed: of the journal, or of the desk itself. */
export type Line = Record<string, any>;

export interface Listening {
  lines(lines: Line[]): void;
  missed(count: number): void;
  state(state: 'open' | 'lost' | 'refused', why: string): void;
}

/** Reads the feed for as long as the page is open. After a loss it tries again. */
export async function listen(to: Listening): Promise<void> {
  for (let wait = 250; ; wait = Math.min(4000, wait * 2)) {
    try {
      const answer = await checked(await fetch('/feed', { headers }));
      to.state('open', '');
      wait = 250;
      const reader = answer.body!.pipeThrough(new TextDecoderStream()).getReader();
      for (let rest = ''; ; ) {
        const { value, done } = await reader.read();
        if (done) break;
        rest += value;
        for (let end = rest.indexOf('\n\n'); end >= 0; end = rest.indexOf('\n\n')) {
          const event = rest.slice(0, end);
          rest = rest.slice(end + 2);
          if (event.startsWith('data: ')) to.lines(JSON.parse(event.slice(6)));
          else if (event.startsWith('event: missed')) to.missed(Number(event.split('data: ')[1]));
        }
      }
      to.state('lost', 'the game has ended; waiting for it to come back');
    } catch (error) {
      if (error instanceof Refused && error.status === 401)
        to.state('refused', 'this page does not have the key: open the address that the game or `tidewater desk` has printed');
      else if (error instanceof Refused) to.state('refused', error.message);
      else to.state('lost', 'the game has ended; waiting for it to come back');
    }
    await new Promise((done) => setTimeout(done, wait));
  }
}
