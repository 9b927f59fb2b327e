/** The viewport follows what the artist has chosen and what the documents say. */

import { untrack } from "svelte";

import type { Lens } from "../state/lenses";
import { tellError } from "../state/told";
import { evenLength } from "../ui/quantity";
import type { Picture } from "./picture.svelte";

/** Called while a component is made, which it lives with. shown: the lens; moves: whether anything in the blend does. */
export function follow(picture: Picture, shown: () => Lens, moves: () => boolean): void {
  const { studio } = picture;

  // A viewport for each mesh the surface has had.
  $effect(() => {
    const coming = studio.geometry;
    return untrack(() => picture.show(coming));
  });

  // The mesh that is shown and painted: a level, or a plan to be looked at.
  $effect(() => {
    const [target, meshes] = [picture.viewport, picture.sceneries];
    const plan = studio.preparing.planShown ? studio.preparing.job?.id : undefined;
    const { level } = studio.selection;
    if (!target || !meshes) return;
    picture.settled = false;
    picture.pickable = false;
    void (plan ? meshes.ofPlan(plan) : meshes.ofLevel(level)).then((found) => {
      if (picture.viewport !== target) return;
      const same = target.scenery === found;
      target.use(found);
      if (same) picture.pickable = target.picker.ready;
      target.invalidate();
    }, tellError);
  });

  $effect(() => {
    if (!picture.viewport) return;
    picture.settled = false;
    picture.viewport.setBlend({
      compiled: studio.alone ?? studio.documents.compiled,
      document: studio.documents.blend,
      materials: studio.documents.materials,
    });
  });

  $effect(() => {
    const [target, meshes] = [picture.viewport, picture.sceneries];
    const beside = studio.selection.compare?.kind === "lens" ? studio.selection.compare.lens : null;
    const { level } = studio.selection;
    if (!target || !meshes || studio.preparing.planShown) return;
    if (studio.selection.lens !== "grain" && beside !== "grain") return;
    void meshes.withGrain(level).catch(tellError);
  });

  $effect(() => picture.programs.follow(shown()));

  $effect(() => {
    const view = picture.viewOf(shown());
    picture.settled = false;
    picture.viewport?.setView(view);
  });

  $effect(() => {
    const [target, meshes] = [picture.viewport, picture.sceneries];
    const compare = studio.selection.compare;
    if (!target || !meshes) return;
    picture.settled = false;
    if (picture.ring) picture.ring.share = compare?.sideBySide ? 0.5 : 1;
    if (!compare) {
      target.setBeside(null);
      return;
    }
    const view = picture.viewOf(compare.kind === "lens" ? compare.lens : studio.selection.lens);
    const { sideBySide, at } = compare;
    const coming =
      compare.kind === "level"
        ? meshes.ofLevel(compare.level)
        : compare.kind === "snapshot" && compare.snapshot
          ? meshes.ofSnapshot(compare.snapshot.id)
          : Promise.resolve(null);
    if (compare.kind === "level") view.set = studio.selection.numberOn(compare.level);
    void coming.then((found) => {
      if (picture.viewport === target && studio.selection.compare === compare) {
        target.setBeside({ view, scenery: found, sideBySide, at });
        if (found && view.lens === "grain" && compare.kind === "level") {
          void meshes.withGrain(compare.level).catch(tellError);
        }
      }
    }, tellError);
  });

  $effect(() => {
    const { neighbours, places } = studio.around;
    if (!picture.viewport || neighbours.length !== places.length) return;
    void picture.viewport.neighbours.show(neighbours, places, studio.documents.materials).catch(tellError);
  });

  // What stands on the ground goes with it.
  $effect(() => {
    if (studio.steps && untrack(() => studio.around.neighbours.length)) void studio.around.load();
  });

  $effect(() => {
    const groups = studio.selection.level === 0 && !studio.preparing.planShown ? studio.groups : [];
    picture.viewport?.setHidden(groups, studio.selection.hidden);
  });

  $effect(() => {
    const { light, falling } = studio.lighting;
    if (light) picture.viewport?.setLight(light, falling);
  });

  $effect(() => {
    const { wires, lines, figure } = studio.selection.aids;
    const size = (studio.surface.facts["size"] as number[] | undefined) ?? [1];
    const spaced = lines ? evenLength(Math.max(...size) / 12) : 0;
    picture.viewport?.aid({ sky: true, wires, spaced, figure });
  });

  $effect(() => {
    const target = picture.viewport;
    if (!target || !studio.selection.turntable) return;
    let last = performance.now();
    const timer = setInterval(() => {
      const now = performance.now();
      target.orbit.turn((now - last) / 60_000, 0);
      last = now;
      target.invalidate(true);
    }, 40);
    return () => clearInterval(timer);
  });

  // Once, where it was looked at from last.
  $effect(() => {
    const [target, stand] = [picture.viewport, studio.stand];
    if (!target || !stand) return;
    studio.stand = null;
    untrack(() => target.look(stand));
  });

  // Steps without a picture are drawn when the list is looked at and nothing goes on.
  $effect(() => {
    if (studio.selection.side === "history" && picture.settled && picture.viewport)
      void picture.portraits.take(picture.viewport);
  });

  $effect(() => {
    picture.viewport?.choose(studio.selection.tinted);
  });

  let since = 0;
  $effect(() => {
    const target = picture.viewport;
    if (!target || !studio.selection.moving || !moves()) return;
    let last = performance.now();
    const timer = setInterval(() => {
      const now = performance.now();
      since += (now - last) / 1000;
      last = now;
      target.goOn(since);
    }, 40);
    return () => clearInterval(timer);
  });
}
