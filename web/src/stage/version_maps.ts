import * as THREE from "three";

import { useWipe, stopComparing } from "../state/wipe";
import { say, useSession } from "../state/session";

/** The three pictures of a surface, wherever they are from. */
export interface Pictures {
  readonly color: THREE.Texture;
  readonly values: THREE.Texture;
  readonly relief: THREE.Texture;
}

/** The maps of the version that is compared with, by surface; fetched when another is asked for. */
export class VersionMaps {
  pictures: Pictures[] = [];
  private version: string | null = null;
  private readonly stop: () => void;

  constructor(
    private readonly project: string,
    private readonly anisotropy: number,
  ) {
    this.stop = useWipe.subscribe(({ version }) => {
      if (version !== this.version) void this.fetch(version);
    });
  }

  private async fetch(version: string | null): Promise<void> {
    this.version = version;
    this.release();
    if (!version) return;
    try {
      for (const { id } of useSession.getState().state?.surfaces ?? []) {
        const [color, values, relief] = await Promise.all((["color", "values", "relief"] as const).map((name) => this.picture(version, id, name)));
        // Overtaken by another choice.
        if (this.version !== version) return;
        this.pictures.push({ color: color!, values: values!, relief: relief! });
      }
      useWipe.setState({ ready: true });
    } catch (error) {
      if (this.version !== version) return;
      say((error as Error).message);
      stopComparing();
    }
  }

  private async picture(version: string, surface: string, name: "color" | "values" | "relief"): Promise<THREE.Texture> {
    const answer = await fetch(`/api/projects/${this.project}/versions/${version}/maps/${surface}/${name}`);
    if (!answer.ok) throw new Error(((await answer.json()) as { message: string }).message);
    const texture = new THREE.Texture(await createImageBitmap(await answer.blob(), { premultiplyAlpha: "none", colorSpaceConversion: "none" }));
    texture.colorSpace = name === "color" ? THREE.SRGBColorSpace : THREE.NoColorSpace;
    texture.flipY = false;
    texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
    texture.anisotropy = this.anisotropy;
    texture.needsUpdate = true;
    return texture;
  }

  private release(): void {
    for (const { color, values, relief } of this.pictures) for (const texture of [color, values, relief]) texture.dispose();
    this.pictures = [];
  }

  dispose(): void {
    this.stop();
    this.release();
    stopComparing();
  }
}
