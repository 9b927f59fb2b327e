/** Bringing files in. */

import { post } from "./server";
import type { Imported, MaterialView } from "./types";

export const MESH_ENDINGS = [".glb", ".ply", ".obj"];

export function importMesh(project: string, file: File): Promise<Imported> {
  const form = new FormData();
  form.append("file", file);
  return post<Imported>(`/api/projects/${project}/surfaces`, form);
}

/** What a map file most likely is, by its name. */
const HINTS: [string, RegExp][] = [
  ["normal", /normal|nrm|nor(?![a-z])|norm/i],
  ["roughness", /rough|rgh/i],
  ["occlusion", /occlusion|(?<![a-z])ao(?![a-z])|ambient/i],
  ["height", /height|disp|bump|hgt/i],
  ["albedo", /albedo|colou?r|diff|base/i],
];
export const ROLES = ["albedo", "height", "normal", "roughness", "occlusion"];

export function guessRole(name: string): string {
  return HINTS.find(([, pattern]) => pattern.test(name))?.[0] ?? "albedo";
}

export function uploadMaterial(
  project: string,
  name: string,
  maps: { role: string; file: File }[],
): Promise<MaterialView> {
  const form = new FormData();
  form.append("name", name);
  for (const { role, file } of maps) {
    form.append("roles", role);
    form.append("files", file);
  }
  return post<MaterialView>(`/api/projects/${project}/materials`, form);
}
