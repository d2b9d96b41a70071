import "./app.css";
import { mount } from "svelte";
import { given } from "./given";
import { applyTheme } from "./theme.svelte";
import SharedPage from "./visitor/SharedPage.svelte";
import VisitorPage from "./visitor/VisitorPage.svelte";

applyTheme();
const target = document.getElementById("page")!;
if (given.console) void import("./console/Console.svelte").then((m) => mount(m.default, { target }));
else mount(given.shared ? SharedPage : VisitorPage, { target });
