/** Bringing files in. */

import { answer, server } from "./server";
import type { Imported, Looked, LookedHeights, MaterialView, Placing, RawLayout, Taking } from "./types";
import type { Upload } from "./upload.svelte";

export const MESH_ENDINGS = [".glb", ".gltf", ".ply", ".obj", ".zip"];
/** Parts of a .gltf may come along. */
export const MESH_PARTS = [...MESH_ENDINGS, ".bin", ".png", ".jpg", ".jpeg", ".mtl"];

/** Files for one mesh, by the paths they were dropped with. */
export function meshForm(files: File[]): FormData {
  const form = new FormData();
  for (const file of files) form.append("files", file, file.webkitRelativePath || file.name);
  return form;
}

/** Send a mesh, and hear what it is; nothing is made of it yet. */
export function lookAt(files: File[], upload: Upload): Promise<Looked> {
  return upload.post<Looked>("/api/meshes", meshForm(files));
}

export function takeMesh(project: string, looked: Looked, placing: Placing): Promise<Imported> {
  return answer<Imported>(
    server.POST("/api/projects/{project}/surfaces", {
      params: { path: { project } },
      body: { file: looked.file, name: looked.name, placing, notes: looked.notes },
    }),
  );
}

export const HEIGHT_ENDINGS = [".png", ".tif", ".tiff", ".exr", ".npy", ".raw", ".r16"];

const endsWith = (file: File, endings: string[]) => endings.some((e) => file.name.toLowerCase().endsWith(e));

/** Whether files are heights: a picture or bare numbers, with no mesh among them. */
export const areHeights = (files: File[]): boolean => files.every((file) => endsWith(file, HEIGHT_ENDINGS));

/** Send heights, or the square regions of a terrain, and hear what they are. */
export function lookAtHeights(files: File[], upload: Upload): Promise<LookedHeights> {
  return upload.post<LookedHeights>("/api/heights", meshForm(files));
}

/** The same, with bare numbers read another way. */
export function lookAgain({ file, name }: LookedHeights, layout: RawLayout): Promise<LookedHeights> {
  return answer<LookedHeights>(
    server.GET("/api/heights/{file}", {
      params: { path: { file }, query: { name, layout: JSON.stringify(layout) } },
    }),
  );
}

export function takeHeights(project: string, looked: LookedHeights, taking: Taking): Promise<Imported> {
  return answer<Imported>(
    server.POST("/api/projects/{project}/terrains", {
      params: { path: { project } },
      body: { file: looked.file, name: looked.name, layout: looked.layout, taking },
    }),
  );
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
  upload: Upload,
): Promise<MaterialView> {
  const form = new FormData();
  form.append("name", name);
  for (const { role, file } of maps) {
    form.append("roles", role);
    form.append("files", file);
  }
  return upload.post<MaterialView>(`/api/projects/${project}/materials`, form);
}
