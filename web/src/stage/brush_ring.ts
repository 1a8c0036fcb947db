import * as THREE from "three";

/** Rings at most: the brush's own and its mirror images. */
const MOST = 12;

export interface Ring {
  center: THREE.Vector3;
  normal: THREE.Vector3;
  /** A mirror image where the body has no match. */
  astray: boolean;
}

/** Where the brush lies: its ball around points of the surface, drawn where it cuts the surface; images are fainter. */
export class BrushRing {
  readonly uniforms = {
    ringCenters: { value: Array.from({ length: MOST }, () => new THREE.Vector3()) },
    ringNormals: { value: Array.from({ length: MOST }, () => new THREE.Vector3(0, 1, 0)) },
    ringAstray: { value: new Array<number>(MOST).fill(0) },
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
      this.uniforms.ringCenters.value[i]!.copy(center);
      this.uniforms.ringNormals.value[i]!.copy(normal);
      this.uniforms.ringAstray.value[i] = astray ? 1 : 0;
    });
    this.uniforms.ringCount.value = Math.min(rings.length, MOST);
    this.uniforms.ringRadius.value = radius;
    this.uniforms.ringPixel.value = pixel;
  }

  get visible(): boolean {
    return this.uniforms.ringCount.value > 0;
  }

  /** Draw the rings on a material of three's, after all its lighting. */
  drawOn(material: THREE.Material): void {
    material.onBeforeCompile = (shader) => {
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
          uniform vec3 ringCenters[${MOST}];
          uniform vec3 ringNormals[${MOST}];
          uniform float ringAstray[${MOST}];
          uniform int ringCount;
          uniform float ringRadius;
          uniform float ringPixel;`,
        )
        .replace(
          "#include <dithering_fragment>",
          `#include <dithering_fragment>
          for (int i = 0; i < ${MOST}; i++) {
            if (i >= ringCount) break;
            bool astray = ringAstray[i] > 0.5;
            if (!astray && dot(ringFacing, ringNormals[i]) <= 0.0) continue;
            float off = abs(distance(ringPlace, ringCenters[i]) - ringRadius) / ringPixel;
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
