interface Named {
  name: string;
}

/** A list with something more; what has its name gives its place to it. */
export function withNamed<T extends Named>(list: readonly T[], item: T): T[] {
  const at = list.findIndex(({ name }) => name === item.name);
  return at < 0 ? [...list, item] : list.with(at, item);
}

/** A list with something that was taken out of it back at its place, whatever has come in or gone meanwhile. */
export const putBack = <T>(list: readonly T[], at: number, item: T): T[] => [...list.slice(0, at), item, ...list.slice(at)];

/** The same, under another name where its own is taken by now. */
export function putBackNamed<T extends Named>(list: readonly T[], at: number, item: T): T[] {
  const taken = new Set(list.map(({ name }) => name));
  let { name } = item;
  for (let number = 2; taken.has(name); number++) name = `${item.name} ${number}`;
  return putBack(list, at, { ...item, name });
}
