import "./app.css";
import { mount } from "svelte";
import { applyTheme } from "./theme.svelte";
import VisitorPage from "./visitor/VisitorPage.svelte";

applyTheme();
mount(VisitorPage, { target: document.getElementById("page")! });
