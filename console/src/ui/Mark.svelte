<!-- The mark of Juvalogos: the margin's rule, and a note that hangs on it. -->
<script lang="ts">
  interface Props {
    /** In px. Default: 28. */
    size?: number;
  }

  let { size = 28 }: Props = $props();
</script>

<svg
  width={(size * 22) / 30}
  height={size}
  viewBox="7.4 1 22 30"
  fill="none"
  aria-hidden="true"
  class="shrink-0">
  <path d="M9 2v28" stroke="var(--margin)" stroke-width="2.4" stroke-linecap="round" />
  <path
    d="M14 8.5h10.2L28 12.3v11.2H14z"
    fill="var(--marker)"
    stroke="var(--ink)"
    stroke-width="1.8"
    stroke-linejoin="round" />
  <path d="M9 13h5" stroke="var(--ink)" stroke-width="1.8" stroke-linecap="round" />
  <path d="M17.4 15h5.4M17.4 19h6.8" stroke="var(--ink)" stroke-width="1.8" stroke-linecap="round" />
</svg>
