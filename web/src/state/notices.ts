import { useDesk } from "./desk";
import { say, useSession } from "./session";

export type Said = Parameters<typeof say>;

/** Milliseconds for which what only tells that something went well stands. */
const BRIEFLY = 10_000;

const standsYet = ([notice]: Said) => useSession.getState().notice === notice;
/** What was said is no longer so, as after an undo. */
export const leave = () => useSession.setState({ notice: null });
/** How one sentence leaves, where it stands yet. */
export const leaving =
  (notice: string): (() => void) =>
  () =>
    void (standsYet([notice]) && leave());

/** Say why nothing happens: it leaves by itself once that is no longer so. */
export function sayWhile(holds: () => boolean, ...said: Said): void {
  say(...said);
  const look = () => {
    if (!standsYet(said)) stop();
    else if (!holds()) {
      stop();
      leave();
    }
  };
  const stops = [useSession.subscribe(look), useDesk.subscribe(look)];
  const stop = () => stops.forEach((one) => one());
}

/** What has been done last, and with what. */
const doing = (): unknown[] => {
  const { stage, tool, fillBy, pickBy } = useDesk.getState();
  return [useSession.getState().history, stage, tool, fillBy, pickBy];
};

/** Say why what was just tried did nothing: past as soon as anything else is done, or another tool is at hand. */
export function sayOfLast(...said: Said): void {
  const then = doing();
  sayWhile(() => doing().every((one, i) => one === then[i]), ...said);
}

/** Say what has been done: it leaves by itself after a while. Returns how it leaves before that. */
export function sayBriefly(...said: Said): () => void {
  const past = leaving(said[0]);
  say(...said);
  setTimeout(past, BRIEFLY);
  return past;
}

/** The same, or as soon as it is no longer so. */
export function sayBrieflyWhile(holds: () => boolean, ...said: Said): void {
  sayWhile(holds, ...said);
  setTimeout(leaving(said[0]), BRIEFLY);
}

/** How the sentence about files that could not be read leaves: once others are given. */
let unread = () => {};

/** Read files, those that can be; of the others it is said why not. Throws where none can. */
export async function readingFiles<Taken extends { notes: string[] }>(read: () => Promise<Taken>): Promise<Taken> {
  unread();
  try {
    const taken = await read();
    const said = taken.notes.join(" ");
    if (said) say(said);
    unread = leaving(said);
    return taken;
  } catch (error) {
    unread = leaving((error as Error).message);
    throw error;
  }
}
