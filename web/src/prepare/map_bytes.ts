/** Bytes a texel of each map takes at 8 bits; gray maps are one channel. */
export const MAP_BYTES = { "base color": 3, roughness: 1, metallic: 1, height: 1, normal: 3 };
