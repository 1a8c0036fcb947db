import { create } from "zustand";

/** Cards that stay open beside the stage until they are closed. */
export const useCards = create<{ tip: boolean }>(() => ({ tip: false }));

export const toggleTipCard = (): void => useCards.setState(({ tip }) => ({ tip: !tip }));

export const openTipCard = (): void => useCards.setState({ tip: true });

export const closeCards = (): void => useCards.setState({ tip: false });
