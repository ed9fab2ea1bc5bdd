// The overview of many reviews: a picture of each clip where it is worst; a click opens its page there.
import { make } from "./make.js";
import { rank, worst_of, over_count, meter } from "./measures.js";

const overview = JSON.parse(document.getElementById("document").textContent);
const $ = (id) => document.getElementById(id);

const ORDERS = {
  worst: (a, b) => rank(worst_of(b)) - rank(worst_of(a)),
  name: (a, b) => a.clip.localeCompare(b.clip) || a.result.localeCompare(b.result),
  result: (a, b) => a.result.localeCompare(b.result) || ORDERS.worst(a, b),
};

function words_of(entry) {
  return `${entry.clip} ${entry.source} ${entry.result}`.toLowerCase();
}

function address_of(entry) {
  const worst = worst_of(entry);
  const at = new URLSearchParams({ clip: entry.clip, frame: worst ? worst.frame : 0 });
  return `${entry.page.split("/").map(encodeURIComponent).join("/")}#${at}`;
}

function card(entry) {
  const over = over_count(entry);
  const worst = worst_of(entry);
  const tip = over > 0 ? entry.measures.filter((m) => m.finding).map((m) => m.finding.message).join("\n") : "all gates hold";
  return make("a", { className: `clip card${over > 0 ? " over" : ""}`, href: address_of(entry), title: `${entry.frames} frames\n${tip}` },
    make("img", { src: `data:image/png;base64,${entry.picture}`, alt: `source and result at frame ${worst ? worst.frame : 0}` }),
    make("span", { className: "name" }, make("span", {}, entry.clip), make("span", { className: "state" }, over > 0 ? `${over} over` : "passes")),
    make("span", { className: "worst" }, `${entry.source} → ${entry.result}`), ...meter(entry));
}

function show() {
  const wanted = $("filter").value.toLowerCase().split(" ").filter(Boolean);
  const shown = overview.entries.filter((entry) => wanted.every((word) => words_of(entry).includes(word)))
    .filter((entry) => !$("only-over").checked || over_count(entry) > 0).sort(ORDERS[$("order").value]);
  const notes = overview.findings.map((f) => make("p", { className: `finding ${f.severity}` }, make("b", {}, f.message),
    make("span", { className: "where" }, f.where), make("span", { className: "advice" }, f.advice)));
  $("cards").replaceChildren(...notes, ...shown.map(card));
  if (shown.length === 0) $("cards").append(make("p", { className: "none" }, "No clip fits the filter."));
  $("count").textContent = `${shown.length} of ${overview.entries.length} clips`;
  const address = new URLSearchParams({ filter: $("filter").value, order: $("order").value, over: $("only-over").checked ? "1" : "" });
  history.replaceState(null, "", `#${address}`);
}

function set_theme(theme) {
  document.documentElement.dataset.theme = theme;
}

function start() {
  set_theme(matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light");
  $("title").textContent = overview.title;
  const over = overview.entries.filter((entry) => over_count(entry) > 0).length;
  const failed = overview.findings.some((finding) => finding.severity === "fault");
  $("verdict").textContent = over > 0 ? `${over} of ${overview.entries.length} clips over a gate` : failed ? "not all could be reviewed" : "all gates hold";
  $("verdict").className = over > 0 || failed ? "bad" : "good";
  const said = new URLSearchParams(location.hash.slice(1));
  $("filter").value = said.get("filter") || "";
  $("only-over").checked = Boolean(said.get("over"));
  if (ORDERS[said.get("order")]) $("order").value = said.get("order");
  for (const id of ["filter", "only-over", "order"]) $(id).addEventListener("input", show);
  $("theme").onclick = () => set_theme(document.documentElement.dataset.theme === "dark" ? "light" : "dark");
  document.addEventListener("keydown", (event) => {
    if (event.target.matches("input, select") || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === "/") { event.preventDefault(); $("filter").focus(); }
    if (event.key === "d") $("theme").click();
  });
  show();
}

start();
