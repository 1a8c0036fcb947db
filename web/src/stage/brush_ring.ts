import * as THREE from "three";

/** Rings at most: the brush's own, its mirror images (three planes, a dozen turns) and its twins. */
const MOST = 128;

export interface Ring {
  center: THREE.Vector3;
  normal: THREE.Vector3;
  /** A mirror image where the body has no match. */
  astray: boolean;
}

/** Where the brush lies: its ball around points of the surface, drawn where it cuts the surface; images are fainter. */
export class BrushRing {
  /** By ring: center and whether it is astray, then normal. */
  private readonly table = new Float32Array(MOST * 8);
  readonly uniforms = {
    ringTable: { value: new THREE.DataTexture(this.table, 2, MOST, THREE.RGBAFormat, THREE.FloatType) },
    ringCount: { value: 0 },
    ringRadius: { value: 0 },
    ringPixel: { value: 0.001 },
  };

  hide(): void {
    this.uniforms.ringCount.value = 0;
  }

  /** The first ring is the brush's own. pixel: size of a screen pixel at that depth, so that the line stays thin. */
  show(rings: Ring[], radius: number, pixel: number): void {
    rings.slice(0, MOST).forEach(({ center, normal, astray }, i) => {
      this.table.set([center.x, center.y, center.z, astray ? 1 : 0, normal.x, normal.y, normal.z, 0], 8 * i);
    });
    this.uniforms.ringTable.value.needsUpdate = true;
    this.uniforms.ringCount.value = Math.min(rings.length, MOST);
    this.uniforms.ringRadius.value = radius;
    this.uniforms.ringPixel.value = pixel;
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
          uniform float ringRadius;
          uniform float ringPixel;`,
        )
        .replace(
          "#include <dithering_fragment>",
          `#include <dithering_fragment>
          for (int i = 0; i < ${MOST}; i++) {
            if (i >= ringCount) break;
            vec4 ring = texelFetch(ringTable, ivec2(0, i), 0);
            bool astray = ring.w > 0.5;
            if (!astray && dot(ringFacing, texelFetch(ringTable, ivec2(1, i), 0).xyz) <= 0.0) continue;
            float off = abs(distance(ringPlace, ring.xyz) - ringRadius) / ringPixel;
            float strength = i == 0 ? 1.0 : 0.6;
            float halo = 1.0 - smoothstep(1.4, 2.4, off);
            float line = 1.0 - smoothstep(0.5, 1.2, off);
            gl_FragColor.rgb = mix(gl_FragColor.rgb, vec3(0.08), 0.55 * halo * strength);
            gl_FragColor.rgb = mix(gl_FragColor.rgb, astray ? vec3(0.85, 0.16, 0.1) : vec3(1.0), line * strength);
          }`,
        );
    };
  }
}
