/** Bringing files in. */

import { answer, server } from "./server";
import type {
  Endings,
  Imported,
  Looked,
  LookedHeights,
  MaterialView,
  Placing,
  RawLayout,
  Taking,
} from "./types";
import type { Upload } from "./upload.svelte";

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

let known: Promise<Endings> | null = null;

/** What can be brought, by the endings of file names; asked once. */
export function endings(): Promise<Endings> {
  known ??= answer<Endings>(server.GET("/api/endings"));
  known.catch(() => (known = null));
  return known;
}

const endsWith = (file: File, of: string[]) => of.some((ending) => file.name.toLowerCase().endsWith(ending));

/** Whether files are heights: a picture or bare numbers, with no mesh among them. */
export async function areHeights(files: File[]): Promise<boolean> {
  const { heights } = await endings();
  return files.every((file) => endsWith(file, heights));
}

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
