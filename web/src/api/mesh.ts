/** The model as the server sends it for the stage; docs/paint-socket.md describes the bytes. */

export interface SurfaceMesh {
  name: string;
  position: Float32Array;
  normal: Float32Array;
  /** v points down, as image rows do. */
  uv: Float32Array;
  index: Uint32Array;
  /** For each triangle, its number in the model. */
  face: Uint32Array;
}

export interface StageMesh {
  /** Digests of the arrays it was made of: equal ones are the same model with the same UVs. */
  arrays: Record<string, string>;
  faces: number;
  uvSets: number;
  surfaces: SurfaceMesh[];
  /** By the model's face number: */
  part: Uint32Array;
  island: Uint32Array;
  piece: Uint32Array;
  polygon: Uint32Array;
  /** Marked sides: face · 3 + side. */
  seams: Uint32Array;
}

type Place = [offset: number, length: number];
type Header = {
  arrays: Record<string, string>;
  faces: number;
  uv_sets: number;
  surfaces: ({ name: string } & Record<"position" | "normal" | "uv" | "index" | "face", Place>)[];
} & Record<"part" | "island" | "piece" | "polygon" | "seams", Place>;

const MAGIC = 0x314d4d4e; // "NMM1"

export function readMesh(buffer: ArrayBuffer): StageMesh {
  const view = new DataView(buffer);
  if (view.getUint32(0, true) !== MAGIC) throw new Error("The server sent another kind of model. Reload the page.");
  const length = view.getUint32(4, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 8, length))) as Header;
  const start = 8 + length;
  const floats = ([at, size]: Place) => new Float32Array(buffer, start + at, size);
  const numbers = ([at, size]: Place) => new Uint32Array(buffer, start + at, size);
  return {
    arrays: header.arrays,
    faces: header.faces,
    uvSets: header.uv_sets,
    surfaces: header.surfaces.map((surface) => ({
      name: surface.name,
      position: floats(surface.position),
      normal: floats(surface.normal),
      uv: floats(surface.uv),
      index: numbers(surface.index),
      face: numbers(surface.face),
    })),
    part: numbers(header.part),
    island: numbers(header.island),
    piece: numbers(header.piece),
    polygon: numbers(header.polygon),
    seams: numbers(header.seams),
  };
}
