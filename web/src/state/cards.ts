import { ofProject } from "./of_project";

/** The card that stays open beside the stage until it is closed: the tip's settings, or the chosen layer's. */
export const useCards = ofProject<{ open: "tip" | "node" | "finishes" | "stencil" | null }>({ open: null });

export const toggleTipCard = (): void => useCards.setState(({ open }) => ({ open: open === "tip" ? null : "tip" }));

export const openTipCard = (): void => useCards.setState({ open: "tip" });

export const toggleFinishes = (): void => useCards.setState(({ open }) => ({ open: open === "finishes" ? null : "finishes" }));

export const toggleStencils = (): void => useCards.setState(({ open }) => ({ open: open === "stencil" ? null : "stencil" }));

export const openNodeCard = (): void => useCards.setState({ open: "node" });

export const closeCards = (): void => useCards.setState({ open: null });
