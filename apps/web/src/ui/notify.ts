import { createStore } from 'zustand/vanilla';

/** Something that the user is told, with a way on where there is one. */
export interface Notice {
  readonly title: string;
  readonly text?: string;
  readonly alarm?: boolean;
  readonly action?: { readonly label: string; readonly run: () => void };
}

/** A notice that was given, when, and how often it was in a row. */
export interface GivenNotice extends Notice {
  readonly id: number;
  readonly at: Date;
  readonly times: number;
}

interface Notices {
  /** Those that are shown, the newest last. */
  readonly shown: readonly GivenNotice[];
  /** The last that were given, the newest last. */
  readonly kept: readonly GivenNotice[];
}

const SHOWN = 2;
const KEPT = 20;

export const notices = createStore<Notices>(() => ({ shown: [], kept: [] }));

/** How long a notice is shown, in milliseconds: what offers a way on stays until there was time to read it. */
const timeOf = ({ action, alarm }: Notice): number => (action ? 30_000 : alarm ? 20_000 : 10_000);

const timers = new Map<number, ReturnType<typeof setTimeout>>();
let last = 0;

/** Tells the user something at the lower edge; gives its id. What is said twice in a row is one notice that counts. */
export function notify(notice: Notice): number {
  const { shown, kept } = notices.getState();
  const before = kept.at(-1);
  const again = before?.title === notice.title && before.text === notice.text;
  const id = again ? before.id : ++last;
  const given: GivenNotice = { ...notice, id, at: new Date(), times: again ? before.times + 1 : 1 };
  const others = (list: readonly GivenNotice[]) => list.filter((one) => one.id !== id);
  notices.setState({
    shown: [...others(shown), given].slice(-SHOWN),
    kept: [...others(kept), given].slice(-KEPT),
  });
  holdNotice(id);
  timers.set(
    id,
    setTimeout(() => closeNotice(id), timeOf(notice)),
  );
  return id;
}

/** Lets a notice stay until it is closed: somebody reads it. */
export function holdNotice(id: number): void {
  clearTimeout(timers.get(id));
  timers.delete(id);
}

export function closeNotice(id: number): void {
  holdNotice(id);
  notices.setState(({ shown }) => ({ shown: shown.filter((one) => one.id !== id) }));
}
