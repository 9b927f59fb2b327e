<!-- Something to choose by its picture. -->
<script lang="ts">
  import { pictureOf } from "./measurePictures";

  interface Props {
    title: string;
    about: string;
    /** Of a measure; none where it is empty. */
    picture: string;
    onclick: () => void;
  }
  const { title, about, picture, onclick }: Props = $props();
</script>

<button
  type="button"
  class="hover:bg-strong bg-raised border-line flex flex-col overflow-hidden rounded-md border text-left"
  title={about}
  {onclick}
>
  <span class="bg-ash grid aspect-[22/15] w-full place-items-center">
    {#if picture}
      <img src={pictureOf(picture)} alt="" width="176" height="120" loading="lazy" class="w-full" />
    {:else}
      <svg viewBox="0 0 44 30" class="w-full" aria-hidden="true">
        <rect y="17" width="44" height="13" class="fill-accent/40" />
        <path d="M0 18q6-4 11 0t11 0 11 0 11 0v12H0z" class="fill-accent/60" />
      </svg>
    {/if}
  </span>
  <span class="px-1.5 py-1 text-xs leading-tight">{title}</span>
</button>
