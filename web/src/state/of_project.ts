import { create, type StoreApi, type UseBoundStore } from "zustand";

const forgets: (() => void)[] = [];

/** A store about the open project. The next one that is opened in this tab finds it as it is at first. */
export function ofProject<T>(first: T): UseBoundStore<StoreApi<T>> {
  const store = create<T>(() => first);
  forgets.push(() => store.setState(first, true));
  return store;
}

export const forgetProject = (): void => forgets.forEach((forget) => forget());
