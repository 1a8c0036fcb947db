import { create } from "zustand";

/** Counts up whenever texels have come to lie elsewhere on the screen, for what is drawn over the map. */
export const useMapPlace = create<{ tick: number }>(() => ({ tick: 0 }));

/** The same of the model: the camera has moved. */
export const useModelPlace = create<{ tick: number }>(() => ({ tick: 0 }));
