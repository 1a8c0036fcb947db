import * as THREE from "three";

/** Rings at most: the brush's own, its mirror images (three planes, a dozen turns) and its twins. */
const MOST = 128;

export interface Ring {
  center: THREE.Vector3;
  normal: THREE.Vector3;
  radius: number;
  /** The brush, one of its images, a mirror image where the body has no match, or what clone takes from. */
  kind: "brush" | "image" | "astray" | "source";
}

const KINDS: Ring["kind"][] = ["brush", "image", "astray", "source"];

/** Where the brush lies: its ball around points of the surface, drawn where it cuts the surface; images are fainter. */
export class BrushRing {
  /** By ring: center and kind, then normal and radius. */
  private readonly table = new Float32Array(MOST * 8);
  readonly uniforms = {
    ringTable: { value: new THREE.DataTexture(this.table, 2, MOST, THREE.RGBAFormat, THREE.FloatType) },
    ringCount: { value: 0 },
    ringPixel: { value: 0.001 },
    ringLimit: { value: 0 },
  };

  hide(): void {
    this.uniforms.ringCount.value = 0;
  }

  /** pixel: size of a screen pixel at that depth, so that the line stays thin. limit: degrees, as the tip's; 180 for any. */
  show(rings: Ring[], pixel: number, limit: number): void {
    rings.slice(0, MOST).forEach(({ center, normal, radius, kind }, i) => {
      this.table.set([...center.toArray(), KINDS.indexOf(kind), ...normal.toArray(), radius], 8 * i);
    });
    this.uniforms.ringTable.value.needsUpdate = true;
    this.uniforms.ringCount.value = Math.min(rings.length, MOST);
    this.uniforms.ringPixel.value = pixel;
    this.uniforms.ringLimit.value = limit >= 180 ? -2 : Math.cos(THREE.MathUtils.degToRad(limit));
  }

  get visible(): boolean {
    return this.uniforms.ringCount.value > 0;
  }

  /** Draw the rings on a material of three's, after all its lighting. change: of its shader besides, named by key. */
  drawOn(material: THREE.Material, key = "", change?: (shader: THREE.WebGLProgramParametersWithUniforms) => void): void {
    material.customProgramCacheKey = () => `rings ${key}`;
    material.onBeforeCompile = (shader) => {
      change?.(shader);
      Object.assign(shader.uniforms, this.uniforms);
      shader.vertexShader = shader.vertexShader
        .replace("#include <common>", "#include <common>\nvarying vec3 ringPlace;\nvarying vec3 ringFacing;")
        .replace("#include <begin_vertex>", "#include <begin_vertex>\nringPlace = position;\nringFacing = normal;");
      shader.fragmentShader = shader.fragmentShader
        .replace(
          "#include <common>",
          `#include <common>
          varying vec3 ringPlace;
          varying vec3 ringFacing;
          uniform highp sampler2D ringTable;
          uniform int ringCount;
          uniform float ringPixel;
          uniform float ringLimit;`,
        )
        .replace(
          "#include <dithering_fragment>",
          `#include <dithering_fragment>
          for (int i = 0; i < ${MOST}; i++) {
            if (i >= ringCount) break;
            vec4 ring = texelFetch(ringTable, ivec2(0, i), 0);
            vec4 facing = texelFetch(ringTable, ivec2(1, i), 0);
            int kind = int(ring.w + 0.5);
            bool astray = kind == 2;
            if (!astray && dot(normalize(ringFacing), facing.xyz) <= ringLimit) continue;
            float off = abs(distance(ringPlace, ring.xyz) - facing.w) / ringPixel;
            float strength = kind == 1 ? 0.6 : 1.0;
            vec3 color = astray ? vec3(0.85, 0.16, 0.1) : kind == 3 ? vec3(0.94, 0.71, 0.16) : vec3(1.0);
            float halo = 1.0 - smoothstep(1.4, 2.4, off);
            float line = 1.0 - smoothstep(0.5, 1.2, off);
            gl_FragColor.rgb = mix(gl_FragColor.rgb, vec3(0.08), 0.55 * halo * strength);
            gl_FragColor.rgb = mix(gl_FragColor.rgb, color, line * strength);
          }`,
        );
    };
  }
}
