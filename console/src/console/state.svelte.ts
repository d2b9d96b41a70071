import { toast } from "svelte-sonner";
import { csrf, Trouble } from "../api/service";
import * as making from "../api/making";
import type { Schemas } from "../pageData";

/** Who is signed in, and what every page of the console shows. */
class ConsoleState {
  session = $state<Schemas["Session"] | null>(null);
  /** Whether it is known if somebody is signed in. */
  known = $state(false);
  desks = $state<Schemas["Desk"][] | null>(null);
  models = $state<Schemas["Model"][]>([]);
  milestones = $state<Schemas["Milestones"] | null>(null);
  /** Whether the service can be reached: yes, it is away, or it is back after it was. */
  reached = $state<"yes" | "away" | "back">("yes");

  async begin() {
    try {
      this.signedIn(await making.whoAmI());
    } catch (e) {
      if (!(e instanceof Trouble) || e.code !== "token-needed") complain(e);
    }
    this.known = true;
  }

  signedIn(session: Schemas["Session"]) {
    csrf.token = session.csrf;
    this.session = session;
    this.known = true;
  }

  signedOut() {
    csrf.token = "";
    this.session = this.desks = this.milestones = null;
  }

  async readDesks() {
    this.desks = await making.listDesks();
  }

  async readModels() {
    this.models = await making.listModels();
  }

  async readMilestones() {
    this.milestones = await making.readMilestones();
  }
}

export const state = new ConsoleState();

/** The sentence for an error. */
export const sentence = (e: unknown) =>
  e instanceof Trouble ? e.detail : "Something went wrong on this page. Load it again.";

/** Shows an error; one that says that nobody is signed in leads to the sign-in. */
export function complain(e: unknown) {
  if (e instanceof Trouble && e.code === "token-needed") {
    state.signedOut();
    return;
  }
  if (e instanceof Trouble && e.code === "offline") state.reached = "away";
  toast.error(sentence(e), { duration: 8000 });
}

/** Does something and tells of it; undo, if given, is offered with it. */
export async function act(
  what: () => Promise<unknown>,
  done: string,
  undo?: () => Promise<unknown>,
): Promise<boolean> {
  try {
    await what();
    toast(
      done,
      undo
        ? { duration: 10_000, action: { label: "Undo", onClick: () => void act(undo, "As it was before") } }
        : {},
    );
    return true;
  } catch (e) {
    complain(e);
    return false;
  }
}
