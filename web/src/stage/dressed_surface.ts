import * as THREE from "three";

import type { Alone, Look, Shading } from "../state/desk";
import type { BrushRing } from "./brush_ring";
import { polygonEdges } from "./polygon_edges";
import type { SurfaceGeometry } from "./surface_geometry";
import type { SurfaceMaps } from "./surface_maps";
import type { Pictures } from "./version_maps";

/** No channel alone, but the color of all three. */
export const ALL = new THREE.Vector4(0, 0, 0, 0);
/** Which picture and channel a map lies in; all three channels where none is named. */
export const CHANNELS: Record<Alone, ["color" | "values" | "relief", THREE.Vector4]> = {
  base_color: ["color", ALL],
  height: ["values", new THREE.Vector4(1, 0, 0, 0)],
  roughness: ["values", new THREE.Vector4(0, 1, 0, 0)],
  metallic: ["values", new THREE.Vector4(0, 0, 1, 0)],
  opacity: ["values", new THREE.Vector4(0, 0, 0, 1)],
  normal: ["relief", ALL],
  red: ["color", new THREE.Vector4(1, 0, 0, 0)],
  green: ["color", new THREE.Vector4(0, 1, 0, 0)],
  blue: ["color", new THREE.Vector4(0, 0, 1, 0)],
};

export const isAlone = (shading: Shading): shading is Alone => shading in CHANNELS;

const CLAY = 0xa9a39a;
const SHEET = 0xb4b8b6;
const EDGE = 0x1e2422;
/** Surfaces lie a little behind edges drawn on them, so that these are never broken; but only then: a face that is seen at
 * a flat angle goes farthest back, and at the model's outline what is averted would show through before it. */
const BEHIND = { polygonOffsetFactor: 1, polygonOffsetUnits: 1, side: THREE.DoubleSide };

/** One surface of the model with a material for each way it can be shown, and its edges. */
export class DressedSurface {
  readonly mesh: THREE.Mesh;
  private edges: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial> | null = null;
  private readonly lit: THREE.MeshStandardMaterial;
  private readonly matte: THREE.MeshLambertMaterial;
  private readonly clay = new THREE.MeshStandardMaterial({ color: CLAY, roughness: 0.8, ...BEHIND });
  private readonly wire = new THREE.MeshBasicMaterial({ color: SHEET, toneMapped: false, ...BEHIND });
  private readonly plain: THREE.MeshBasicMaterial;
  /** One map alone, as it is stored. */
  private readonly raw: THREE.MeshBasicMaterial;
  private single: keyof Pictures = "values";
  private readonly channel = { value: ALL };
  /** Where what is painted lets through, and whether that is shown. */
  private readonly opacity: Opacity;
  /** Colors come decoded from their textures. */
  private readonly decoded = { value: false };
  /** A picture shown through the UVs instead of the paint. */
  private readonly uvPicture = new THREE.MeshStandardMaterial({ roughness: 0.75, ...BEHIND });

  constructor(
    private readonly surface: SurfaceGeometry,
    private readonly maps: SurfaceMaps,
    private readonly polygon: Uint32Array,
    ring: BrushRing,
  ) {
    this.opacity = { opacityMap: { value: maps.values }, holes: { value: true } };
    this.lit = new THREE.MeshStandardMaterial({
      map: maps.color,
      normalMap: maps.relief,
      // Green is up in the normals, v is down in the UVs.
      normalScale: new THREE.Vector2(1, -1),
      roughnessMap: maps.values,
      metalnessMap: maps.values,
      roughness: 1,
      metalness: 1,
      ...BEHIND,
    });
    this.plain = new THREE.MeshBasicMaterial({ map: maps.color, toneMapped: false, ...BEHIND });
    this.matte = new THREE.MeshLambertMaterial({ map: maps.color, ...BEHIND });
    this.raw = new THREE.MeshBasicMaterial({ map: maps.values, toneMapped: false, ...BEHIND });
    for (const material of [this.clay, this.wire, this.uvPicture]) ring.drawOn(material, "", putAvertedBehind);
    for (const material of this.painted) {
      ring.drawOn(material, "holes", (shader) => {
        putAvertedBehind(shader);
        letThrough(shader, this.opacity);
      });
    }
    maps.whenSeenThrough(() => this.openHoles());
    ring.drawOn(this.raw, "one map", (shader) => {
      putAvertedBehind(shader);
      showChannel(shader, this.channel, this.decoded);
    });
    this.mesh = new THREE.Mesh(surface.geometry, this.lit);
    // Without triangles there is nothing to draw, and nothing to hit.
    this.mesh.visible = surface.face.length > 0;
  }

  private get painted(): THREE.Material[] {
    return [this.lit, this.matte, this.plain];
  }

  /** From now on what is not solid is left out, which costs a little everywhere. */
  private openHoles(): void {
    for (const material of this.painted) {
      if (material.defines && "HOLES" in material.defines) continue;
      material.defines = { ...material.defines, HOLES: "" };
      material.needsUpdate = true;
    }
  }

  /** Show other pictures through all materials, or its own again. */
  wear(pictures: Pictures | null): void {
    const { color, values, relief } = pictures ?? this.maps;
    this.lit.map = this.matte.map = this.plain.map = color;
    this.lit.normalMap = relief;
    this.lit.roughnessMap = this.lit.metalnessMap = values;
    this.raw.map = (pictures ?? this.maps)[this.single];
    this.opacity.opacityMap.value = values;
    if (pictures) this.openHoles();
  }

  /** picture: shown in the paint's stead. */
  shade(look: Look, picture: THREE.Texture | null): void {
    for (const material of [this.lit, this.matte, this.clay]) {
      if (material.flatShading === look.faceted) continue;
      material.flatShading = look.faceted;
      material.needsUpdate = true;
    }
    const wired = look.shading === "wire" && !picture;
    this.showEdges(look.edges || wired, wired ? 0.9 : 0.4);
    if (picture && this.uvPicture.map !== picture) {
      this.uvPicture.needsUpdate = !this.uvPicture.map;
      this.uvPicture.map = picture;
    }
    this.mesh.material = picture ? this.uvPicture : this.chosen(look.shading);
  }

  private get materials(): THREE.Material[] {
    return [this.lit, this.matte, this.clay, this.wire, this.plain, this.raw, this.uvPicture];
  }

  private chosen(shading: Shading): THREE.Material {
    this.opacity.holes.value = !isAlone(shading);
    if (!isAlone(shading)) return this[shading];
    if (shading === "base_color") return this.plain;
    const [picture, channel] = CHANNELS[shading];
    this.single = picture;
    this.raw.map = this.maps[picture];
    this.channel.value = channel;
    this.decoded.value = picture === "color";
    return this.raw;
  }

  private showEdges(wanted: boolean, opacity: number): void {
    if (wanted && !this.edges) {
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", this.surface.geometry.getAttribute("position"));
      geometry.setIndex(new THREE.BufferAttribute(polygonEdges(this.surface, this.polygon), 1));
      this.edges = new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ color: EDGE, transparent: true, toneMapped: false }));
      this.edges.raycast = () => undefined;
      this.mesh.add(this.edges);
    }
    for (const material of this.materials) material.polygonOffset = wanted;
    if (!this.edges) return;
    this.edges.visible = wanted;
    this.edges.material.opacity = opacity;
  }

  dispose(): void {
    for (const material of this.materials) material.dispose();
    this.edges?.geometry.dispose();
    this.edges?.material.dispose();
  }
}

/** How much farther averted faces lie for the depth buffer, as a share of their distance. */
const AVERTED = 3e-4;

/** At an outline a face and the averted one behind it are equally deep: which one shows would be left to rounding. */
function putAvertedBehind(shader: THREE.WebGLProgramParametersWithUniforms): void {
  // Of a perspective's depth before the division, a share of the distance is a constant.
  shader.vertexShader = shader.vertexShader.replace(
    "#include <project_vertex>",
    `#include <project_vertex>
    if (dot(normalMatrix * normal, mvPosition.xyz) > 0.0) gl_Position.z -= ${AVERTED} * projectionMatrix[3][2];`,
  );
}

interface Opacity {
  opacityMap: { value: THREE.Texture };
  holes: { value: boolean };
}

/** What is half there is left out at every other place, so that nothing has to be drawn in an order; evenly spread by
 * interleaved gradient noise (Jimenez 2014). */
function letThrough(shader: THREE.WebGLProgramParametersWithUniforms, opacity: Opacity): void {
  Object.assign(shader.uniforms, opacity);
  shader.fragmentShader = shader.fragmentShader
    .replace("#include <common>", "#include <common>\n#ifdef HOLES\nuniform sampler2D opacityMap;\nuniform bool holes;\n#endif")
    .replace(
      "#include <map_fragment>",
      `#include <map_fragment>
      #ifdef HOLES
      float spread = fract(52.9829189 * fract(dot(floor(gl_FragCoord.xy), vec2(0.06711056, 0.00583715))));
      if (holes && texture2D(opacityMap, vMapUv).a <= spread) discard;
      #endif`,
    );
}

/** The stored numbers of a channel as gray, or of all three: no light, no tone, no change of color space. */
function showChannel(shader: THREE.WebGLProgramParametersWithUniforms, channel: { value: THREE.Vector4 }, decoded: { value: boolean }): void {
  Object.assign(shader.uniforms, { channel, decoded });
  shader.fragmentShader = shader.fragmentShader
    .replace("#include <common>", "#include <common>\nuniform vec4 channel;\nuniform bool decoded;")
    .replace(
      "#include <map_fragment>",
      `vec4 stored = texture2D(map, vMapUv);
      if (decoded) stored = sRGBTransferOETF(stored);
      diffuseColor.rgb = channel == vec4(0.0) ? stored.rgb : vec3(dot(stored, channel));`,
    )
    .replace("#include <colorspace_fragment>", "");
}
