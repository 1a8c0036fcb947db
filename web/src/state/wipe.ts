import { ofProject } from "./of_project";

interface Wipe {
  /** The version that is looked at beside what is there now. */
  version: string | null;
  /** Where the line between the two stands, as a share of the stage's width. */
  share: number;
  /** Its maps have come. */
  ready: boolean;
}

export const useWipe = ofProject<Wipe>({ version: null, share: 0.5, ready: false });

export const compareWith = (version: string): void => useWipe.setState({ version, share: 0.5, ready: false });

export const stopComparing = (): void => useWipe.setState({ version: null, ready: false });
