import * as THREE from "three";

/** Where the ring lies: the ball of the brush around a point of the surface, drawn where it cuts the surface. */
export class BrushRing {
  readonly uniforms = {
    ringCenter: { value: new THREE.Vector3() },
    ringNormal: { value: new THREE.Vector3(0, 1, 0) },
    ringRadius: { value: 0 },
    ringPixel: { value: 0.001 },
  };

  hide(): void {
    this.uniforms.ringRadius.value = 0;
  }

  /** pixel: size of a screen pixel at that depth, so that the line stays thin. */
  show(center: THREE.Vector3, normal: THREE.Vector3, radius: number, pixel: number): void {
    this.uniforms.ringCenter.value.copy(center);
    this.uniforms.ringNormal.value.copy(normal);
    this.uniforms.ringRadius.value = radius;
    this.uniforms.ringPixel.value = pixel;
  }

  get visible(): boolean {
    return this.uniforms.ringRadius.value > 0;
  }

  /** Draw the ring on a material of three's, after all its lighting. */
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
          uniform vec3 ringCenter;
          uniform vec3 ringNormal;
          uniform float ringRadius;
          uniform float ringPixel;`,
        )
        .replace(
          "#include <dithering_fragment>",
          `#include <dithering_fragment>
          if (ringRadius > 0.0 && dot(ringFacing, ringNormal) > 0.0) {
            float off = abs(distance(ringPlace, ringCenter) - ringRadius) / ringPixel;
            float halo = 1.0 - smoothstep(1.4, 2.4, off);
            float line = 1.0 - smoothstep(0.5, 1.2, off);
            gl_FragColor.rgb = mix(gl_FragColor.rgb, vec3(0.08), 0.55 * halo);
            gl_FragColor.rgb = mix(gl_FragColor.rgb, vec3(1.0), line);
          }`,
        );
    };
  }
}
