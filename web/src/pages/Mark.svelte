<!-- Our sign: two strata, one lying over the other. -->
<script lang="ts"></script>

<svg viewBox="0 0 24 24" class="size-6 shrink-0" aria-hidden="true">
  <path class="fill-soft" d="M2 8c4-4 8 1 12-1s6-3 8-3v6c-3 0-5 2-9 3s-7-1-11 1z" />
  <path class="fill-accent" d="M2 16c4-2 7 0 11-1s6-3 9-3v8H2z" />
</svg>
