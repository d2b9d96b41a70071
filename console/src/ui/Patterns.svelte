<!-- What the series of charts are filled with; a page with a chart has it once. -->
<script lang="ts"></script>

<svg width="0" height="0" class="absolute" aria-hidden="true">
  <defs>
    <pattern id="fill-0" width="8" height="8" patternUnits="userSpaceOnUse">
      <rect width="8" height="8" fill="var(--accent)" />
    </pattern>
    <pattern id="fill-1" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
      <rect width="7" height="7" fill="var(--marker)" />
      <rect width="2" height="7" fill="var(--ink)" />
    </pattern>
    <pattern id="fill-2" width="7" height="7" patternUnits="userSpaceOnUse">
      <rect width="7" height="7" fill="var(--margin)" />
      <circle cx="3.5" cy="3.5" r="1.5" fill="var(--paper)" />
    </pattern>
    <pattern id="fill-3" width="8" height="6" patternUnits="userSpaceOnUse">
      <rect width="8" height="6" fill="var(--paper)" />
      <rect width="8" height="2.4" fill="var(--ink)" />
    </pattern>
    <pattern id="fill-4" width="8" height="8" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)">
      <rect width="8" height="8" fill="var(--faded)" />
      <rect width="2.6" height="8" fill="var(--leaf)" />
    </pattern>
    <pattern id="fill-5" width="8" height="8" patternUnits="userSpaceOnUse">
      <rect width="8" height="8" fill="var(--leaf)" />
      <path d="M0 4h8M4 0v8" stroke="var(--accent)" stroke-width="1.4" />
    </pattern>
  </defs>
</svg>
