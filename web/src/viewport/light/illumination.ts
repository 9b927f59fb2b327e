/** The light that a picture is drawn under, as uniforms: some are one for all programs, some each thing has in its own metres. */

import {
  Color,
  Data3DTexture,
  HalfFloatType,
  LinearFilter,
  MathUtils,
  Matrix3,
  Matrix4,
  RGBAFormat,
  Vector3,
  Vector4,
  DataUtils,
  type IUniform,
  type Texture,
} from "three";

import type { Falling } from "../../state/falling";
import type { Light } from "../../state/types";

/** Eye, light and shadow as a thing has them in its own metres. */
export interface Own {
  eye: IUniform<Vector3>;
  light: IUniform<Vector3>;
  lamp: IUniform<Vector4>;
  to_sky: IUniform<Matrix3>;
  to_shadow: IUniform<Matrix4>;
  plane_to_shadow: IUniform<Matrix4>;
}

export const ownUniforms = (): Own => ({
  eye: { value: new Vector3() },
  light: { value: new Vector3(0, 1, 0) },
  lamp: { value: new Vector4() },
  to_sky: { value: new Matrix3() },
  to_shadow: { value: new Matrix4() },
  plane_to_shadow: { value: new Matrix4() },
});

/** How far away a lamp stands, in radii of what it shines on. */
const LAMP_AWAY = 1.7;
/** A sun that measures more than this, in degrees, is not seen as a disc. */
const LARGEST_DISC = 6;

/** Before there is a sky, and where none is wanted: a half that is bright and one that is not. */
const ABOVE = [0.62, 0.66, 0.7];
const BELOW = [0.24, 0.23, 0.21];

function twoHalves(): Data3DTexture {
  const texels = [...BELOW, 1, ...ABOVE, 1].map((value) => DataUtils.toHalfFloat(value));
  return skyTexture(new Uint16Array(texels), [1, 2, 1]);
}

/** By the harmonics of order 0 and 1: what falls goes from the one half to the other as a place turns over. */
const halfHarmonics = (): Vector3[] =>
  Array.from(
    { length: 9 },
    (_, i) =>
      new Vector3(
        ...([0, 1, 2].map((c) =>
          i === 0
            ? (ABOVE[c]! + BELOW[c]!) / 2 / 0.282095
            : i === 1
              ? (ABOVE[c]! - BELOW[c]!) / 2 / 0.488603
              : 0,
        ) as [number, number, number]),
      ),
  );

function skyTexture(
  texels: Uint16Array<ArrayBuffer>,
  [across, up, levels]: [number, number, number],
): Data3DTexture {
  const made = new Data3DTexture(texels, across, up, levels);
  made.format = RGBAFormat;
  made.type = HalfFloatType;
  made.minFilter = made.magFilter = LinearFilter;
  made.unpackAlignment = 1;
  made.needsUpdate = true;
  return made;
}

export class Illumination {
  /** One for all programs. */
  readonly all = {
    sky: { value: twoHalves() as Texture },
    harmonics: { value: halfHarmonics() },
    key: { value: new Vector3(1, 0.975, 0.94).multiplyScalar(4.24) },
    exposed: { value: new Vector3(1, 1, 1) },
    plain: { value: 0 },
    shadow_depth: { value: null as Texture | null },
    shadow_reach: { value: new Vector4() },
    shadow_grain: { value: new Vector3() },
  };
  /** Radiance of the sun's disc and the cosine of its edge; none is seen where that is 2. */
  readonly disc = { value: new Vector4(0, 0, 0, 2) };
  /** Colour of the ground around. */
  readonly bounce = { value: new Vector3(0.2, 0.2, 0.2) };
  /** Toward the key light, in the scene. */
  readonly direction = new Vector3(0, 1, 0);
  readonly toSky = new Matrix3();
  /** From the scene to the shadow map. */
  readonly toShadow = new Matrix4();
  #light: Light | null = null;
  #falling: Falling | null = null;

  get document(): Light | null {
    return this.#light;
  }

  /** Whether there is a sky at all. */
  get known(): boolean {
    return this.#falling !== null;
  }

  /** The key light is a lamp near by. */
  get near(): boolean {
    return this.#falling?.near ?? false;
  }

  set(light: Light, falling: Falling | null): void {
    this.#light = light;
    if (falling && falling !== this.#falling) this.#take(falling);
    const white = this.#falling?.white ?? [1, 1, 1];
    this.all.exposed.value.fromArray(white).multiplyScalar(2 ** light.exposure);
    this.all.plain.value = +(light.tone === "plain");
    this.turn(0);
  }

  #take(falling: Falling): void {
    this.#falling = falling;
    this.all.sky.value.dispose();
    this.all.sky.value = skyTexture(falling.sky, falling.size);
    this.all.harmonics.value.forEach((v, i) => v.fromArray(falling.harmonics, 3 * i));
    this.all.key.value.fromArray(falling.key);
    this.bounce.value.fromArray(falling.bounce);
  }

  /** Have the light stand where it does now. looking: degrees clockwise from north that the eye looks toward. */
  turn(looking: number): void {
    const light = this.#light;
    if (!light) return;
    const azimuth = MathUtils.degToRad(light.azimuth + (light.follows ? looking : 0));
    const tilt = MathUtils.degToRad(light.tilt);
    this.direction.set(
      Math.sin(azimuth) * Math.cos(tilt),
      Math.sin(tilt),
      -Math.cos(azimuth) * Math.cos(tilt),
    );
    this.toSky.setFromMatrix4(new Matrix4().makeRotationY(azimuth));
    const half = MathUtils.degToRad(light.angle / 2);
    const seen = !this.near && light.angle <= LARGEST_DISC;
    const bright = 1 / (Math.PI * Math.sin(half) ** 2);
    this.disc.value.set(0, 0, 0, 2);
    if (seen) {
      const { x, y, z } = this.all.key.value;
      this.disc.value.set(x * bright, y * bright, z * bright, Math.cos(half));
    }
  }

  /** Where a lamp stands that shines on a sphere of the scene; how far away. */
  lampFor(middle: Vector3, radius: number): { place: Vector3; away: number } {
    const away = radius * LAMP_AWAY;
    return { place: middle.clone().addScaledVector(this.direction, away), away };
  }

  /** Tell a thing what it is lit and seen from. own: from its metres to the scene's; null where they are the same. */
  tell(to: Own, eye: Vector3, lamp: { place: Vector3; away: number } | null, own: Matrix4 | null): void {
    to.eye.value.copy(eye);
    to.light.value.copy(this.direction);
    to.lamp.value.set(0, 0, 0, 0);
    to.to_sky.value.copy(this.toSky);
    to.to_shadow.value.copy(this.toShadow);
    if (lamp) to.lamp.value.set(lamp.place.x, lamp.place.y, lamp.place.z, lamp.away);
    if (own) {
      const back = own.clone().invert();
      to.eye.value.applyMatrix4(back);
      to.light.value.transformDirection(back);
      if (lamp) {
        const { x, y, z } = lamp.place.clone().applyMatrix4(back);
        to.lamp.value.set(x, y, z, lamp.away);
      }
      to.to_sky.value.multiply(new Matrix3().setFromMatrix4(own));
      to.to_shadow.value.multiply(own);
    }
    to.plane_to_shadow.value.copy(to.to_shadow.value).invert().transpose();
  }

  dispose(): void {
    this.all.sky.value.dispose();
  }
}

/** What clay is made of. */
export const CLAY = new Color(0.42, 0.4, 0.38);
