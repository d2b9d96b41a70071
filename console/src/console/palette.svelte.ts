/** Whether the command palette is open, and what the page adds to it. */
class Palette {
  open = $state(false);
  /** Commands of the page that is shown. */
  commands = $state.raw<Command[]>([]);
}

export type Command = { name: string; group: string; run: () => void };

export const palette = new Palette();

/** For a page: its commands are there as long as the page is. */
export function offer(commands: () => Command[]) {
  $effect(() => {
    palette.commands = commands();
    return () => (palette.commands = []);
  });
}
