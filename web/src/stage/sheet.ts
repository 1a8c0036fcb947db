import * as THREE from "three";

import type { Look } from "../state/desk";
import { ALL, CHANNELS, isAlone } from "./dressed_surface";
import { PLACE_SHADER } from "./place_shader";
import { lightDirection } from "./surroundings";
import type { Pictures } from "./version_maps";

const PICTURE = 0;
const CHANNEL = 1;
const LIT = 2;
/** Pixels along a side of the checkered ground that is seen through holes. */
const SQUARE = 8;

/** A picture, and the channel of it that is shown alone; none is zero. Colors come decoded. */
export interface Shown {
  picture: THREE.Texture;
  channel: THREE.Vector4;
  decoded: boolean;
}

/** A map laid flat: one map alone, or all together under the light; flat rough paint has its stored color there. */
export class Sheet extends THREE.Mesh<THREE.PlaneGeometry, THREE.ShaderMaterial> {
  constructor() {
    const uniform = <T>(value: T) => ({ value });
    super(
      new THREE.PlaneGeometry(1, 1),
      new THREE.ShaderMaterial({
        side: THREE.DoubleSide,
        toneMapped: false,
        uniforms: {
          mode: uniform(PICTURE),
          picture: uniform<THREE.Texture | null>(null),
          values: uniform<THREE.Texture | null>(null),
          relief: uniform<THREE.Texture | null>(null),
          channel: uniform(ALL),
          holes: uniform(false),
          decoded: uniform(false),
          light: uniform(new THREE.Vector3(0, 0, 1)),
        },
        vertexShader: PLACE_SHADER,
        fragmentShader: `
          uniform int mode;
          uniform sampler2D picture;
          uniform sampler2D values;
          uniform sampler2D relief;
          uniform vec4 channel;
          uniform bool holes;
          uniform bool decoded;
          uniform vec3 light;
          varying vec2 place;

          // A microfacet highlight (Walter 2007) over Lambert's cosine, seen from straight above.
          vec3 lit(vec3 color, float roughness, float metal, vec3 normal) {
            vec3 half_way = normalize(light + vec3(0.0, 0.0, 1.0));
            float alpha = max(roughness * roughness, 0.01);
            float slope = pow(max(dot(normal, half_way), 0.0), 2.0) * (alpha * alpha - 1.0) + 1.0;
            float shine = min(alpha * alpha / (3.14159 * slope * slope), 4.0) * max(dot(normal, light), 0.0);
            vec3 mirrored = mix(vec3(0.04), color, metal);
            float facing = max(dot(normal, light), 0.0) / light.z;
            return color * mix(0.3 + 0.7 * facing, 0.55, metal) + mirrored * shine * (1.0 - roughness) * 0.6;
          }

          void main() {
            vec4 texel = texture2D(picture, place);
            vec3 stored = texel.rgb;
            if (mode == ${CHANNEL}) {
              if (decoded) texel = linearToOutputTexel(texel);
              gl_FragColor = vec4(channel == vec4(0.0) ? texel.rgb : vec3(dot(texel, channel)), 1.0);
              return;
            }
            vec3 normal = normalize(texture2D(relief, place).rgb * 2.0 - 1.0);
            vec4 values = texture2D(values, place);
            if (mode == ${LIT}) stored = lit(stored, values.g, values.b, normal);
            if (holes) {
              vec2 square = floor(gl_FragCoord.xy / ${SQUARE}.0);
              stored = mix(vec3(mod(square.x + square.y, 2.0) < 1.0 ? 0.22 : 0.3), stored, values.a);
            }
            gl_FragColor = linearToOutputTexel(vec4(stored, 1.0));
          }`,
      }),
    );
    // The camera looks with y down, so the plane's own v is turned to match row 0 on top.
    const uv = this.geometry.getAttribute("uv") as THREE.BufferAttribute;
    [0, 1, 0, 1].forEach((u, i) => uv.setXY(i, u, i < 2 ? 1 : 0));
    uv.needsUpdate = true;
  }

  /** Show maps as the model shows them, or another picture in their stead. */
  dress(maps: Pictures, look: Look, picture: THREE.Texture | null): void {
    const { uniforms } = this.material;
    const { shading, light } = look;
    const [source, channel] = isAlone(shading) ? CHANNELS[shading] : CHANNELS.base_color;
    uniforms.picture!.value = picture ?? maps[source];
    uniforms.values!.value = maps.values;
    uniforms.relief!.value = maps.relief;
    uniforms.channel!.value = channel;
    uniforms.light!.value.copy(lightDirection(light)).normalize();
    uniforms.decoded!.value = picture !== null || source === "color";
    const single = isAlone(shading) && shading !== "base_color";
    uniforms.holes!.value = !picture && !isAlone(shading);
    uniforms.mode!.value = picture ? PICTURE : single ? CHANNEL : shading === "lit" ? LIT : PICTURE;
  }

  get shown(): Shown {
    const { picture, channel, mode, decoded } = this.material.uniforms;
    return {
      picture: picture!.value as THREE.Texture,
      channel: mode!.value === CHANNEL ? (channel!.value as THREE.Vector4) : ALL,
      decoded: decoded!.value as boolean,
    };
  }

  override dispose(): void {
    this.geometry.dispose();
    this.material.dispose();
  }
}
