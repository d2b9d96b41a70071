import { formsOf } from "../words/forms";

const english = formsOf("en");

/** An amount of money as people say it: less than $0.01. */
export const money = (n: number) => english.money(n, (smallest) => `less than ${smallest}`);

/** An amount of money as makers compare it, however small: $0.0017. */
export const exactMoney = english.smallMoney;

/** What something may cost, going by what it cost before. */
export const aboutMoney = (n: number) => (n >= 0.01 ? `about ${money(n)}` : money(n));

/** An amount of money where there is little room: < $0.01. */
export const shortMoney = (n: number) => english.money(n, (smallest) => `< ${smallest}`);
