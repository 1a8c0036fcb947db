import { create, type StoreApi, type UseBoundStore } from "zustand";

const forgets: (() => void)[] = [];

/** A store about the open project. The next one that is opened in this tab finds it as it is at first. */
export function ofProject<T>(first: T): UseBoundStore<StoreApi<T>> {
  const store = create<T>(() => first);
  forgets.push(() => store.setState(first, true));
  return store;
}

let opened = 0;

export function forgetProject(): void {
  opened++;
  forgets.forEach((forget) => forget());
}

/** The same promise, but never settled where another project is open by then: what was to follow was meant for the one before. */
export function whileOpen<T>(promise: Promise<T>): Promise<T> {
  const then = opened;
  return new Promise((resolve, reject) => promise.then((value) => then === opened && resolve(value), (error: Error) => then === opened && reject(error)));
}
