/** What is picked from what the surface or the project has. A new pick is one new file and one line here. */

import type { Component } from "svelte";

import type { Studio } from "../../state/studio.svelte";
import type { Setting } from "../../state/types";
import type { Fields } from "./document";
import AnotherChannelPick from "./picks/AnotherChannelPick.svelte";
import BorderPick from "./picks/BorderPick.svelte";
import ChannelPick from "./picks/ChannelPick.svelte";
import ColouringPick from "./picks/ColouringPick.svelte";
import GroupPick from "./picks/GroupPick.svelte";
import LenderPick from "./picks/LenderPick.svelte";
import MaterialPick from "./picks/MaterialPick.svelte";
import NeighbourPick from "./picks/NeighbourPick.svelte";
import OwnChannelPick from "./picks/OwnChannelPick.svelte";
import PicturePick from "./picks/PicturePick.svelte";
import PlacesPick from "./picks/PlacesPick.svelte";
import UVPick from "./picks/UVPick.svelte";

export interface PickProps {
  studio: Studio;
  setting: Setting;
  document: Fields;
  /** changes: the fields that are others now. */
  onchange: (changes: Fields) => void;
}

export const PICKS: Partial<Record<string, Component<PickProps>>> = {
  "another channel": AnotherChannelPick,
  border: BorderPick,
  channel: ChannelPick,
  colouring: ColouringPick,
  group: GroupPick,
  lender: LenderPick,
  material: MaterialPick,
  neighbour: NeighbourPick,
  "own channel": OwnChannelPick,
  picture: PicturePick,
  places: PlacesPick,
  uv: UVPick,
};
