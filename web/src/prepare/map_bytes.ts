/** Bytes a texel of each map takes at 8 bits; gray maps are one channel. */
export const MAP_BYTES = { "base color": 3, roughness: 1, metallic: 1, height: 1, normal: 3 };

/** Bytes as one reads them. */
export function inWords(bytes: number): string {
  const megabytes = bytes / 2 ** 20;
  return megabytes < 1000 ? `${megabytes.toFixed(megabytes < 10 ? 1 : 0)} MB` : `${(megabytes / 2 ** 10).toFixed(megabytes < 10240 ? 1 : 0)} GB`;
}
