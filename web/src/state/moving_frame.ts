import type { Frame } from "../api/schema.generated";
import { ofProject } from "./of_project";

/** The frame of a wash while its handles move it, by the wash's id. */
export const useMovingFrame = ofProject<{ wash: string | null; frame: Frame | null }>({ wash: null, frame: null });
