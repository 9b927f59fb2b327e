/** Which triangles an outline on the screen takes in. */

import { Vector2, Vector3, type BufferGeometry, type PerspectiveCamera } from "three";

/** Where the middle of a triangle is in the picture, in normalised coordinates. */
export function middleOf(geometry: BufferGeometry, triangle: number, camera: PerspectiveCamera): Vector2 {
  const index = geometry.index!.array;
  const places = geometry.attributes["position"]!.array;
  const middle = new Vector3();
  for (let corner = 0; corner < 3; corner++) {
    middle.add(new Vector3().fromArray(places, 3 * index[3 * triangle + corner]!));
  }
  middle.divideScalar(3).project(camera);
  return new Vector2(middle.x, middle.y);
}

/** Whether a place lies inside an outline (even–odd rule). */
function pointInside(outline: Vector2[], x: number, y: number): boolean {
  let inside = false;
  for (let i = 0, j = outline.length - 1; i < outline.length; j = i++) {
    const [a, b] = [outline[i]!, outline[j]!];
    if (a.y > y !== b.y > y && x < ((b.x - a.x) * (y - a.y)) / (b.y - a.y) + a.x) inside = !inside;
  }
  return inside;
}

/** Triangles turned to the eye whose middle lies inside an outline of normalised places. */
export function trianglesInside(
  geometry: BufferGeometry,
  camera: PerspectiveCamera,
  outline: Vector2[],
  hidden: { first: number; count: number }[],
): number[] {
  const index = geometry.index!.array;
  const positions = geometry.attributes["position"]!.array;
  const [a, b, c, middle, eye] = [new Vector3(), new Vector3(), new Vector3(), new Vector3(), new Vector3()];
  const found: number[] = [];
  for (let t = 0; t < index.length / 3; t++) {
    if (hidden.some((run) => t >= run.first && t < run.first + run.count)) continue;
    a.fromArray(positions, 3 * index[3 * t]!);
    b.fromArray(positions, 3 * index[3 * t + 1]!);
    c.fromArray(positions, 3 * index[3 * t + 2]!);
    middle.copy(a).add(b).add(c).divideScalar(3);
    eye.copy(camera.position).sub(middle);
    if (b.sub(a).cross(c.sub(a)).dot(eye) <= 0) continue;
    middle.project(camera);
    if (middle.z < 1 && pointInside(outline, middle.x, middle.y)) found.push(t);
  }
  return found;
}
