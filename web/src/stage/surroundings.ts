import * as THREE from "three";

import type { Look, SurroundingsName } from "../state/desk";

interface Sky {
  ground: [number, number, number];
  low: [number, number, number];
  high: [number, number, number];
  /** Bright panels: place, size, strength and color. */
  panels: { at: [number, number, number]; size: [number, number]; light: [number, number, number] }[];
}

const white = (strength: number): [number, number, number] => [strength, strength, strength];

/** Light around the model, all made by code. */
const SKIES: Record<SurroundingsName, Sky> = {
  quay: {
    ground: [0.16, 0.16, 0.15], low: [0.62, 0.65, 0.67], high: [1.05, 1.08, 1.12],
    panels: [
      { at: [-6, 4, 4], size: [2.2, 5], light: white(7) },
      { at: [6, 4, 5], size: [2.2, 5], light: white(4) },
      { at: [0, 4, -8], size: [2.2, 5], light: white(3) },
    ],
  },
  workshop: {
    ground: [0.1, 0.09, 0.08], low: [0.2, 0.19, 0.18], high: [0.3, 0.29, 0.28],
    panels: [-4, -1.3, 1.4, 4.1].map((x) => ({ at: [x, 7, 0], size: [0.8, 9], light: [6.5, 6.3, 5.8] })),
  },
  noon: {
    ground: [0.34, 0.31, 0.27], low: [0.55, 0.68, 0.82], high: [0.32, 0.52, 0.86],
    panels: [{ at: [3.5, 8, 3], size: [1.6, 1.6], light: [95, 90, 80] }],
  },
  dusk: {
    ground: [0.05, 0.05, 0.07], low: [0.95, 0.5, 0.28], high: [0.12, 0.15, 0.3],
    panels: [
      { at: [-8, 1.2, 2], size: [3.4, 1.1], light: [13, 6, 2.4] },
      { at: [7, 3, -4], size: [2, 3], light: [0.5, 0.8, 1.6] },
    ],
  },
}; // prettier-ignore

/** Prefiltered light of one of the surroundings. */
export function surroundings(renderer: THREE.WebGLRenderer, name: SurroundingsName): THREE.Texture {
  const { ground, low, high, panels } = SKIES[name];
  const scene = new THREE.Scene();
  const vec = (color: number[]) => `vec3(${color.map((value) => value.toFixed(3)).join(", ")})`;
  const sky = new THREE.Mesh(
    new THREE.SphereGeometry(10, 32, 24),
    new THREE.ShaderMaterial({
      side: THREE.BackSide,
      vertexShader: "varying vec3 d; void main() { d = position; gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }",
      fragmentShader: `varying vec3 d;
        void main() {
          float h = normalize(d).y;
          vec3 floor = mix(${vec(ground)}, ${vec(low)}, smoothstep(-0.25, 0.05, h));
          gl_FragColor = vec4(mix(floor, ${vec(high)}, smoothstep(0.05, 0.8, h)), 1.0);
        }`,
    }),
  );
  scene.add(sky);
  for (const { at, size, light } of panels) {
    const panel = new THREE.Mesh(
      new THREE.PlaneGeometry(...size),
      new THREE.MeshBasicMaterial({ color: new THREE.Color(...light), side: THREE.DoubleSide }),
    );
    panel.position.set(...at);
    panel.lookAt(0, 0, 0);
    scene.add(panel);
  }
  const generator = new THREE.PMREMGenerator(renderer);
  const texture = generator.fromScene(scene, 0.02).texture;
  generator.dispose();
  return texture;
}

/** Where the light comes from, seen from the camera; never from behind the model. */
export function lightDirection({ x, y }: Look["light"]): THREE.Vector3 {
  return new THREE.Vector3(x, y, Math.sqrt(Math.max(0.05, 1 - x ** 2 - y ** 2)));
}
