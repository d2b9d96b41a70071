/** How the series of a chart are filled: by colour and by pattern, so that they
 *  are told apart without colours too. The patterns stand in Patterns.svelte. */
export const fills = [0, 1, 2, 3, 4, 5].map((i) => `url(#fill-${i})`);

/** The fill of the series that comes at a place, from 0. */
export const fillOf = (at: number) => fills[at % fills.length]!;
