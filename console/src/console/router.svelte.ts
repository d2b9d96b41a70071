import { pageData } from "../pageData";

const root = `${pageData.base}/console`;

/** The console's own address: the path below /console, without slashes around it. */
class Router {
  path = $state(pathOf(location.pathname));

  constructor() {
    addEventListener("popstate", () => (this.path = pathOf(location.pathname)));
  }

  /** Goes to another page of the console. */
  go(path: string, replace = false) {
    if (path === this.path) return;
    history[replace ? "replaceState" : "pushState"](null, "", hrefOf(path));
    this.path = path;
    scrollTo(0, 0);
  }

  /** For a link's click: goes there without loading the page. */
  follow = (e: MouseEvent & { currentTarget: HTMLAnchorElement }) => {
    if (e.metaKey || e.ctrlKey || e.shiftKey || e.button) return;
    e.preventDefault();
    this.go(pathOf(new URL(e.currentTarget.href).pathname));
  };
}

const pathOf = (pathname: string) => decodeURI(pathname.slice(root.length)).replace(/^\/+|\/+$/g, "");

export const hrefOf = (path: string) => (path ? `${root}/${path}` : root);

export const router = new Router();
