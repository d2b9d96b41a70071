import "./app.css";
import { mount } from "svelte";
import { given } from "./given";
import { applyTheme } from "./theme.svelte";
import SharedPage from "./visitor/SharedPage.svelte";
import VisitorPage from "./visitor/VisitorPage.svelte";

applyTheme();
mount(given.shared ? SharedPage : VisitorPage, { target: document.getElementById("page")! });
