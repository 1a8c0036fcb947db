import type { KeptState } from "../api/schema.generated";
import { sayBriefly } from "./notices";
import { useSession } from "./session";

/** What is stored for good, in few words. */
export function keptText({ trouble, waiting, revision }: KeptState, connected: boolean): string {
  if (!connected) return `Offline, kept up to change ${revision}`;
  if (trouble) return `${waiting} not kept yet: the database does not answer`;
  return waiting ? `Keeping ${waiting} …` : `Kept, change ${revision}`;
}

/** Whether something might be lost: the server or its database is away. */
export const atRisk = ({ trouble }: KeptState, connected: boolean): boolean => !connected || trouble !== null;

/** For hands that are used to saving. */
export function sayWhatIsKept(): void {
  const { kept, connected } = useSession.getState();
  if (!kept) return;
  sayBriefly(atRisk(kept, connected) ? `${keptText(kept, connected)}.` : "There is nothing to save: every step is kept as soon as it is done.");
}
