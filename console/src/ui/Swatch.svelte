<!-- The sign of a series of a chart, for its legend. -->
<script lang="ts">
  interface Props {
    /** Its fill. */
    fill: string;
  }

  let { fill }: Props = $props();
</script>

<svg width="18" height="12" class="shrink-0" aria-hidden="true">
  <rect x="0.5" y="0.5" width="17" height="11" rx="2" {fill} stroke="var(--field)" />
</svg>
