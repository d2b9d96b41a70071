const key = "juvalogos-theme";
const order = ["auto", "light", "dark"] as const;
type Theme = (typeof order)[number];

function stored(): Theme {
  const value = localStorage.getItem(key);
  return order.find((t) => t === value) ?? "auto";
}

/** The reader's choice of light and dark; auto follows the system. */
export const theme = $state({ choice: stored() });

/** Puts the choice into effect. */
export function applyTheme() {
  if (theme.choice === "auto") delete document.documentElement.dataset.theme;
  else document.documentElement.dataset.theme = theme.choice;
}

/** Goes on to the next choice and keeps it. */
export function turnTheme() {
  theme.choice = order[(order.indexOf(theme.choice) + 1) % order.length]!;
  localStorage.setItem(key, theme.choice);
  applyTheme();
}
