/** What the picture shows. */

export type Lens = "blend" | "channel" | "set" | "grain" | "groups" | "distance";

export interface LensChoice {
  value: Lens;
  name: string;
  key: string;
  about: string;
}

export const LENSES: LensChoice[] = [
  { value: "blend", name: "Blend", key: "B", about: "The shaded result" },
  { value: "channel", name: "Channel", key: "C", about: "The chosen channel, dark 0 to light 1" },
  { value: "set", name: "Set", key: "S", about: "R, G and B of the set as colours" },
  {
    value: "grain",
    name: "Grain",
    key: "G",
    about: "Distance between neighbouring vertices: light is coarse",
  },
  { value: "groups", name: "Groups", key: "O", about: "Each group of faces in its own colour" },
];
