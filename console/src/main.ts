import "./app.css";
import { mount } from "svelte";
import { pageData } from "./pageData";
import { applyTheme } from "./theme.svelte";
import { currency } from "./words/forms";
import VisitorPage from "./visitor/VisitorPage.svelte";

applyTheme();
currency.code = pageData.currency;
const target = document.getElementById("page")!;
if (pageData.console) void import("./console/Console.svelte").then((m) => mount(m.default, { target }));
else if (pageData.shared)
  void import("./visitor/SharedPage.svelte").then((m) => mount(m.default, { target }));
else if (pageData.quiz) void import("./visitor/QuizPage.svelte").then((m) => mount(m.default, { target }));
else if (pageData.quiz_results)
  void import("./visitor/QuizResultsPage.svelte").then((m) => mount(m.default, { target }));
else if (pageData.desk?.depicts)
  void import("./visitor/GalleryPage.svelte").then((m) => mount(m.default, { target }));
else mount(VisitorPage, { target });
