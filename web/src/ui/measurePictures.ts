/** What each measure does, drawn by the measures themselves (launch/measure_pictures.py). */

const found = import.meta.glob<string>("../pictures/*.png", {
  eager: true,
  query: "?url&no-inline",
  import: "default",
});

/** Where the picture of a measure is, by its kind. */
export const pictureOf = (kind: string): string => found[`../pictures/${kind}.png`] ?? "";
