import * as THREE from "three";

import type { Mirror } from "../api/schema.generated";

/** All copies that symmetry makes, the identity first; the engine makes the same. */
export function mirrorMatrices({ planes = "", axis = "y", turns = 1, center = [0, 0, 0] }: Partial<Mirror>): THREE.Matrix4[] {
  const signs: THREE.Matrix4[] = [];
  for (let mask = 0; mask < 1 << planes.length; mask++) {
    const flip = { x: 1, y: 1, z: 1 };
    [...planes].forEach((plane, i) => {
      if (mask & (1 << i)) flip[plane as "x" | "y" | "z"] = -1;
    });
    signs.push(new THREE.Matrix4().makeScale(flip.x, flip.y, flip.z));
  }
  const about = new THREE.Vector3(axis === "x" ? 1 : 0, axis === "y" ? 1 : 0, axis === "z" ? 1 : 0);
  const all = signs.flatMap((sign) =>
    Array.from({ length: turns }, (_, k) => new THREE.Matrix4().makeRotationAxis(about, (2 * Math.PI * k) / turns).multiply(sign)),
  );
  const [x, y, z] = center as [number, number, number];
  const [there, back] = [new THREE.Matrix4().makeTranslation(x, y, z), new THREE.Matrix4().makeTranslation(-x, -y, -z)];
  const same = (a: THREE.Matrix4, b: THREE.Matrix4) => a.elements.every((value, i) => Math.abs(value - b.elements[i]!) < 1e-6);
  const distinct = all.filter((matrix, i) => !all.slice(0, i).some((other) => same(matrix, other)));
  return distinct.map((matrix) => there.clone().multiply(matrix).multiply(back));
}
