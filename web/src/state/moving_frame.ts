import { create } from "zustand";

import type { Frame } from "../api/schema.generated";

/** The frame of a wash while its handles move it, by the wash's id. */
export const useMovingFrame = create<{ wash: string | null; frame: Frame | null }>(() => ({ wash: null, frame: null }));
