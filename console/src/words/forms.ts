/** The forms that a word takes by number, as a language has them. */
export type Plurals = Partial<Record<Intl.LDMLPluralRule, string>> & { other: string };

/** A form with its values in their places, {1}, {2} … */
export const filled = (form: string, values: string[]) =>
  form.replace(/\{(\d+)\}/g, (place, n) => values[n - 1] ?? place);

/** The currency that costs are given in, by its code; the service says which. */
export const currency = { code: "USD" };

/** How a language writes numbers, dates, lists, and words by number. */
export function formsOf(language: string) {
  const rules = new Intl.PluralRules(language);
  const list = new Intl.ListFormat(language);
  return {
    /** A number with the word that it counts: 1 page, 2 pages. */
    counted: (n: number, words: Plurals) =>
      `${n.toLocaleString(language)} ${words[rules.select(n)] ?? words.other}`,
    /** A number, rounded to so many digits behind the point if they are given. */
    number: (n: number, digits?: number) =>
      n.toLocaleString(
        language,
        digits === undefined ? {} : { minimumFractionDigits: digits, maximumFractionDigits: digits },
      ),
    /** An amount of money as people say it; less tells how one is said that is
     *  smaller than the smallest that is shown. */
    money: (n: number, less: (smallest: string) => string) => {
      const style = { style: "currency", currency: currency.code } as const;
      return n > 0 && n < 0.01
        ? less((0.01).toLocaleString(language, style))
        : n.toLocaleString(language, style);
    },
    /** An amount of money with the two digits that tell most, however small. */
    smallMoney: (n: number) =>
      n.toLocaleString(language, {
        style: "currency",
        currency: currency.code,
        ...(n > 0 && n < 0.1 && { minimumSignificantDigits: 1, maximumSignificantDigits: 2 }),
      }),
    /** Things in a row: this, that and the other. */
    list: (things: string[]) => list.format(things),
    /** A day: 4 May 2026. */
    day: (d: Date) => d.toLocaleDateString(language, { day: "numeric", month: "long", year: "numeric" }),
  };
}
