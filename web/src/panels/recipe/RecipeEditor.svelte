<!-- A recipe: terms in order, one of them open. The same for a layer's mask and for an undercoat. -->
<script lang="ts">
  import { dragHandleZone, TRIGGERS, type DndEvent } from "svelte-dnd-action";

  import { freshTerm, sourceOf } from "../../state/ingredients";
  import { bringPicture } from "../../state/pictures";
  import type { Studio } from "../../state/studio.svelte";
  import { freshId } from "../../state/layers";
  import type { Recipe, Source, Term } from "../../state/types";
  import RecipeFoot from "./RecipeFoot.svelte";
  import TermCard from "./TermCard.svelte";

  interface Props {
    studio: Studio;
    recipe: Recipe;
    /** It is the one that the Term lens follows: the mask of the open layer, or the undercoat. */
    main?: boolean;
    /** Measures of the surface may be added. */
    measures?: boolean;
    onchange: (recipe: Recipe) => void;
  }
  const { studio, recipe, main = false, measures = false, onchange }: Props = $props();

  let own = $state(0);
  const openTerm = $derived(main ? studio.selection.openTerm : own);
  function openAt(number: number): void {
    if (main) studio.selection.openTerm = number;
    else own = number;
  }
  interface Row {
    id: number;
    term: Term;
  }
  let dragged = $state<Row[] | null>(null);
  const rows = $derived(dragged ?? recipe.terms.map((term, id) => ({ id, term })));

  const withTerms = (terms: Term[]) => onchange({ ...recipe, terms });
  const edit = (number: number, change: Partial<Term>) =>
    withTerms(recipe.terms.map((term, i) => (i === number ? { ...term, ...change } : term)));

  /** A new term of a source, as fits the surface. */
  function fresh(source: Source, op: Term["op"]): Term {
    const fits = studio.surveys.fitting?.terms[source.kind];
    return fits ? { ...(fits as unknown as Term), id: freshId(), op } : freshTerm(source, op);
  }

  async function add(kind: string): Promise<void> {
    if (!measures && !sourceOf(kind).live) {
      const measured = fresh(sourceOf(kind).first as unknown as Source, "set");
      const on = studio.documents.measureInto(sourceOf(kind).title, { terms: [measured] });
      if (!on) return;
      withTerms([
        ...recipe.terms,
        freshTerm({ kind: "channel", ...on }, recipe.terms.length ? "multiply" : "set"),
      ]);
      openAt(recipe.terms.length - 1);
      return;
    }
    const first = sourceOf(kind).first as unknown as Source;
    let source: Source = first;
    if (first.kind === "channel") source = { ...first, ...studio.selection.addressOfBase };
    if (first.kind === "material") source = { ...first, ...materialAtHand() };
    if (first.kind === "picture") {
      const picture = studio.documents.stencils[0]?.id ?? (await bringPicture(studio));
      if (!picture) return;
      source = { ...first, picture };
    }
    const term = fresh(source, recipe.terms.length ? "multiply" : "set");
    withTerms([...recipe.terms, fitted(term)]);
    openAt(recipe.terms.length - 1);
  }

  /** The open layer's own material and mapping, which it costs nothing to read again. */
  function materialAtHand() {
    const layer = studio.documents.blend.layers.find((l) => l.id === studio.selection.openLayer);
    const { ground } = studio.documents.blend;
    const of = layer && "material" in layer ? layer : ground;
    return {
      material: of.material ?? studio.documents.materials[0]!.id,
      mapping: $state.snapshot(of.mapping),
    };
  }

  /** A ramp over height begins as wide as the surface is high. */
  function fitted(term: Term): Term {
    if (term.source.kind !== "height") return term;
    const [low, size] = [studio.surface.facts["low"], studio.surface.facts["size"]] as [number[], number[]];
    return { ...term, low: low[1]!, high: low[1]! + size[1]! };
  }

  /** Where rows lie while one is dragged; the keyboard ends with such a word, too. */
  const underWay = ({ detail }: CustomEvent<DndEvent<Row>>): Row[] | null =>
    detail.info.trigger === TRIGGERS.DRAG_STOPPED ? null : detail.items;

  function dropped(event: CustomEvent<DndEvent<Row>>): void {
    const ids = event.detail.items.map((row) => row.id);
    dragged = null;
    openAt(ids.indexOf(openTerm));
    withTerms(ids.map((id) => recipe.terms[id]!));
  }
</script>

<div
  class="space-y-1"
  use:dragHandleZone={{ items: rows, flipDurationMs: 120, dropTargetStyle: {}, type: "terms" }}
  onconsider={(e: CustomEvent<DndEvent<Row>>) => (dragged = underWay(e))}
  onfinalize={dropped}
  aria-label="Terms, in order"
>
  {#each rows as { id, term } (id)}
    <TermCard
      {studio}
      {term}
      open={openTerm === id}
      {main}
      onopen={() => openAt(openTerm === id ? -1 : id)}
      onchange={(change) => edit(id, change)}
      onremove={() => withTerms(recipe.terms.filter((_, i) => i !== id))}
    />
  {/each}
</div>

<RecipeFoot {studio} {recipe} {measures} onadd={(kind) => void add(kind)} {onchange} />
