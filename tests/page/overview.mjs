// Looks at an overview in a headless browser, and prints what it saw as JSON.
// node overview.mjs FOLDER-WITH-PLAYWRIGHT OVERVIEW.html FILTER
import { launch, PATIENCE } from "./launch.mjs";
import { resolve } from "node:path";

const [, , modules, file, filter] = process.argv;
const browser = await launch(modules);
const tab = await browser.newPage({ viewport: { width: 1280, height: 800 } });
tab.setDefaultTimeout(PATIENCE);
const result = { errors: [] };
tab.on("console", (message) => { if (message.type() === "error") result.errors.push(message.text()); });
tab.on("pageerror", (problem) => result.errors.push(problem.message));
await tab.goto(`file://${resolve(file)}`);
const cards = () => tab.evaluate(() => [...document.querySelectorAll(".card")].map((card) => ({
  clip: card.querySelector(".name span").textContent, over: card.classList.contains("over"),
  width: card.querySelector("img").naturalWidth })));
result.cards = await cards();
result.verdict = await tab.locator("#verdict").textContent();
result.notes = await tab.locator(".finding").allTextContents();
await tab.keyboard.press("/");
await tab.keyboard.type(filter);
result.filtered = (await cards()).length;
await tab.locator("#filter").fill("");
await tab.locator("#only-over").check();
result.only_over = (await cards()).length;
await tab.locator(".card").first().click();
await tab.waitForFunction(() => window.page);
result.opened = await tab.evaluate(() => ({ title: page.document.title, clip: page.document.clips[page.state.clip].name, frame: page.state.frame }));
await browser.close();
console.log(JSON.stringify(result));
