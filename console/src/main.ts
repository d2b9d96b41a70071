import "./app.css";
import { mount } from "svelte";
import { pageData } from "./pageData";
import { applyTheme } from "./theme.svelte";
import SharedPage from "./visitor/SharedPage.svelte";
import VisitorPage from "./visitor/VisitorPage.svelte";

applyTheme();
const target = document.getElementById("page")!;
if (pageData.console) void import("./console/Console.svelte").then((m) => mount(m.default, { target }));
else mount(pageData.shared ? SharedPage : VisitorPage, { target });
