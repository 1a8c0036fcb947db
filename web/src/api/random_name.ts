/** Sixteen hexadecimal digits that nobody else has; also where a page comes from another machine, unlike `crypto.randomUUID`. */
export const randomName = (): string => Array.from(crypto.getRandomValues(new Uint8Array(8)), (byte) => byte.toString(16).padStart(2, "0")).join("");
