import type { components } from "../api/schema";

type Schemas = components["schemas"];

export type Brush = Schemas["Brush"];
export type PointerSample = Schemas["PointerSample"];
export type ChannelAddress = Schemas["ChannelAddress"];
export type BlendDocument = Schemas["BlendDocument"];
export type BlendView = Schemas["BlendView"];
export type CompiledBlend = Schemas["CompiledBlend"];
export type Reading = Schemas["ReadingView"];
export type CoverLayer = Schemas["CoverLayer"];
export type FilmLayer = Schemas["FilmLayer"];
export type ReliefLayer = Schemas["ReliefLayer"];
export type TintLayer = Schemas["TintLayer"];
export type Layer = BlendDocument["layers"][number];
export type LayerGroup = BlendDocument["groups"][number];
export type LayerKind = Layer["kind"];
export type Finish = Schemas["Finish"];
export type Recipe = Schemas["Recipe"];
export type KeptRecipe = Schemas["KeptRecipeView"];
export type Light = Schemas["Light"];
export type KeptLight = Schemas["KeptLightView"];
export type Sky = Schemas["SkyView"];
export type Sight = Schemas["Sight"];
export type Stand = Schemas["Stand"];
export type Bookmark = Schemas["BookmarkView"];
export type Term = Schemas["Term"];
export type Source = Term["source"];
export type SourceView = Schemas["SourceView"];
export type Endings = Schemas["Endings"];
export type WritingView = Schemas["WritingView"];
export type KindView = Schemas["KindView"];
export type FillView = Schemas["FillView"];
export type Ingredients = Schemas["Ingredients"];
export type Op = Term["op"];
export type ProfileView = Schemas["ProfileView"];
export type Fitting = Schemas["Fitting"];
export type CellsView = Schemas["CellsView"];
export type Setting = Schemas["Setting"];
export type ChannelOf = Schemas["ChannelOf"];
export type Bearing = Schemas["Bearing"];
export type LensView = Schemas["LensView"];
export type AnyLens =
  Schemas["LayerLens"] | Schemas["RecipeLens"] | Schemas["ShapeLens"] | Schemas["SetLens"];
export type TileMapping = Schemas["TileMapping"];
export type ChannelSetView = Schemas["ChannelSetView"];
export type ChannelSetDocument = Schemas["ChannelSetDocument"];
export type ChannelDocument = Schemas["ChannelDocument"];
export type MaterialView = Schemas["MaterialView"];
export type SurfaceView = Schemas["SurfaceView"];
export type ProjectView = Schemas["ProjectView"];
export type ProjectSummary = Schemas["ProjectSummary"];
export type Imported = Schemas["Imported"];
export type HistoryState = Schemas["HistoryState"];
export type Statistics = Schemas["Statistics"];
export type CoreSample = Schemas["CoreSample"];

export type Curve = Schemas["Curve"];
export type Profile = Schemas["Profile"];
export type FirstSizes = Schemas["FirstSizes"];
export type Looked = Schemas["Looked"];
export type FileSize = Schemas["FileSize"];
export type BandView = Schemas["BandView"];
export type PackageChoice = Schemas["PackageChoice"];
export type LookedHeights = Schemas["LookedHeights"];
export type Taking = Schemas["Taking"];
export type RawLayout = Schemas["RawLayout"];
export type Placing = Required<Schemas["Placing"]>;
export type SurfaceSummary = Schemas["SurfaceSummary"];
export type BinView = Schemas["BinView"];
export type Outlook = Schemas["Outlook"];
export type Protection = Schemas["Protection"];
export type FaceChoice = Schemas["FaceChoice"];
export type FaceUnit = FaceChoice["unit"];
export type AnyFill = Schemas["FillOn"]["fill"];
export type JobNews = Schemas["JobNews"];
export type NewSet = Schemas["NewSet"];
export type DocumentChanged = Schemas["DocumentChanged"];
export type SurroundingsView = Schemas["SurroundingsView"];
export type Neighbour = Schemas["Neighbour"];
export type StencilView = Schemas["StencilView"];
export type SnapshotView = Schemas["SnapshotView"];
export type HistoryView = Schemas["HistoryView"];
export type PlanWish =
  | Schemas["RefineLevels"]
  | Schemas["RefineSpacing"]
  | Schemas["RefineToChannel"]
  | Schemas["RefineToHeight"]
  | Schemas["MakeLevel"]
  | Schemas["UnwrapWish"];
export type GroupEdit =
  | Schemas["GroupBy"]
  | Schemas["GroupFaces"]
  | Schemas["MergeGroups"]
  | Schemas["RenameGroup"]
  | Schemas["HardBorder"];

export type ToWindow =
  | Schemas["Hello"]
  | Schemas["Ready"]
  | Schemas["Saved"]
  | Schemas["Refused"]
  | Schemas["Statistics"]
  | Schemas["CoreSample"]
  | DocumentChanged
  | Schemas["HistoryChanged"]
  | Schemas["Reshaped"]
  | Schemas["JobNews"]
  | Schemas["Previewed"]
  | Schemas["Begun"];

export type FromWindow =
  | Schemas["BeginStroke"]
  | Schemas["PathStroke"]
  | Schemas["LookAtSteps"]
  | Schemas["LookAtUndercoat"]
  | Schemas["LookAtPaint"]
  | Schemas["ExtendStroke"]
  | Schemas["EndStroke"]
  | Schemas["AbandonStroke"]
  | Schemas["FillOn"]
  | Schemas["EndPreview"]
  | Schemas["Swap"]
  | Schemas["Jump"]
  | Schemas["StartEmpty"]
  | Schemas["MeasureUndercoat"]
  | Schemas["Undo"]
  | Schemas["Redo"]
  | Schemas["Probe"];

export const LETTERS = ["R", "G", "B", "A"] as const;

/** What the artist is told when something is refused: what was wrong, and what to do. */
export interface Told {
  problem: string;
  remedy: string;
}
