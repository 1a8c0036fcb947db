import * as THREE from "three";

/** Light around the model, made by code: an overcast quay with a bright band of sky and two tall windows. */
export function surroundings(renderer: THREE.WebGLRenderer): THREE.Texture {
  const scene = new THREE.Scene();
  const sky = new THREE.Mesh(
    new THREE.SphereGeometry(10, 32, 24),
    new THREE.ShaderMaterial({
      side: THREE.BackSide,
      vertexShader: "varying vec3 d; void main() { d = position; gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }",
      fragmentShader: `varying vec3 d;
        void main() {
          float h = normalize(d).y;
          vec3 ground = vec3(0.16, 0.16, 0.15);
          vec3 low = vec3(0.62, 0.65, 0.67);
          vec3 high = vec3(1.05, 1.08, 1.12);
          gl_FragColor = vec4(mix(mix(ground, low, smoothstep(-0.25, 0.05, h)), high, smoothstep(0.05, 0.8, h)), 1.0);
        }`,
    }),
  );
  scene.add(sky);
  for (const [x, z, strength] of [[-6, 4, 7], [6, 5, 4], [0, -8, 3]] as const) {
    const window = new THREE.Mesh(
      new THREE.PlaneGeometry(2.2, 5),
      new THREE.MeshBasicMaterial({ color: new THREE.Color(strength, strength, strength), side: THREE.DoubleSide }),
    );
    window.position.set(x, 4, z);
    window.lookAt(0, 0, 0);
    scene.add(window);
  }
  const generator = new THREE.PMREMGenerator(renderer);
  const texture = generator.fromScene(scene, 0.02).texture;
  generator.dispose();
  return texture;
}
