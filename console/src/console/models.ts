import type { Schemas } from "../pageData";

/** What a desk file calls each model that can do something: its name, or
 *  connection/name where two connections have one of that name. */
export function namesOf(models: Schemas["Model"][], able?: string): string[] {
  const times = new Map<string, number>();
  for (const m of models) times.set(m.name, (times.get(m.name) ?? 0) + 1);
  return models
    .filter((m) => !able || m.can.includes(able))
    .map((m) => (times.get(m.name)! > 1 ? `${m.connection}/${m.name}` : m.name));
}
