// Lists and tables: clips, findings, measures, chains.
import { page } from "./data.js";
import { rank, worst_of, over_count, measure_words, measure_text, meter } from "./measures.js";
import { state, update, current_clip, bone_named, answer_of } from "./state.js";
import { choice } from "./actor.js";
import { make } from "./make.js";
import { live } from "./live.js";
import { adjust_panel } from "./adjust.js";
import { picker_part } from "./chain_picker.js";
import { ANGLES, beyond, chosen_joint } from "./joints.js";
import { plot_of_angle } from "./timeline.js";

export const TABS = page.pairs
  ? [["findings", "Findings"], ["measures", "Measures"], ["chains", "Chains"]]
  : [["findings", "Findings"], ["chains", "Chains"]];
if (page.actors[page.actors.length - 1].joints.length > 0) TABS.push(["joints", "Joints"]);
if (live.on) TABS.push(["adjust", "Adjust"]);

let postponed = 0;

/** Clips, worst first. */
export function clips_in_order() {
  return page.clips.map((clip, index) => ({ clip, index, worst: worst_of(clip) }))
    .sort((a, b) => rank(b.worst) - rank(a.worst) || a.index - b.index);
}

/** Those that the filter lets through. */
export function clips_shown() {
  return clips_in_order().filter(({ clip }) =>
    clip.name.toLowerCase().includes(state.filter.toLowerCase()) && (!state.only_over || over_count(clip) > 0));
}

export function draw_clips(list) {
  const shown = clips_shown();
  list.replaceChildren(...shown.map(({ clip, index }) => clip_row(clip, index)));
  if (shown.length === 0) list.append(make("p", { className: "none" }, "No clip fits the filter."));
}

function clip_row(clip, index) {
  const over = over_count(clip);
  const row = make("button", {
    className: `clip${over > 0 ? " over" : ""}`, role: "option", "aria-selected": index === state.clip,
    onclick: () => update({ clip: index, frame: 0, chosen: null, focus: false }),
  }, make("span", { className: "name" }, make("span", { title: clip.name }, clip.name),
          make("span", { className: "state" }, page.pairs && clip.measures.length > 0 ? (over > 0 ? `${over} over` : "passes") : clip.frames === 1 ? "pose" : `${clip.frames} frames`)));
  row.append(...meter(clip));
  return row;
}

/** Goes to where a measure is worst, and looks at the bone. */
export function show_measure(clip, measure) {
  const bone = bone_named(measure.where);
  update({
    clip, frame: measure.frame, playing: false, focus: bone !== undefined,
    chosen: bone ? choice(bone.actor, bone.bone, answer_of) : null, zoom: bone ? 1.3 : state.zoom, pan: [0, 0, 0],
  });
}

/** Builds the panel anew; not while something in it is pressed, and what is typed into goes on being typed into. */
export function draw_panel(panel) {
  clearTimeout(postponed);
  if (panel.matches(":active")) {
    postponed = setTimeout(() => draw_panel(panel), 50);
    return;
  }
  const typed = panel.contains(document.activeElement) && document.activeElement.id;
  const parts = { findings: findings_panel, measures: measures_panel, chains: chains_panel, joints: joints_panel, adjust: adjust_panel }[state.tab];
  panel.replaceChildren(...(parts || findings_panel)());
  if (typed && document.getElementById(typed)) document.getElementById(typed).focus();
  const chosen = panel.querySelector("tr.chosen");
  if (chosen) chosen.scrollIntoView({ block: "nearest" });
}

function findings_panel() {
  const parts = [];
  const of_clip = (clip, index) => clip.measures.filter((m) => m.finding)
    .sort((a, b) => b.strain - a.strain)
    .map((m) => finding_card(m.finding, `frame ${m.frame}, ${m.where}`, () => show_measure(index, m)));
  const clip = current_clip();
  if (page.pairs && clip.measures.length > 0) {
    parts.push(make("h2", {}, `${clip.name}`));
    const own = of_clip(clip, state.clip);
    parts.push(...(own.length > 0 ? own : [make("p", { className: "none" }, "All measures of this clip are within their gates.")]));
    const others = page.clips.flatMap((c, i) => (i === state.clip ? [] : of_clip(c, i).map((card) => {
      card.querySelector(".where").prepend(`${c.name}, `);
      return card;
    })));
    if (others.length > 0) parts.push(make("h2", {}, "other clips"), ...others);
  }
  if (clip.events.length > 0) parts.push(make("h2", {}, `what happens in ${clip.name}`), ...clip.events.map(event_card));
  if (page.findings.length > 0) parts.push(make("h2", {}, page.pairs ? "characters and pairing" : "character"));
  parts.push(...page.findings.map((f) => finding_card(f, f.where)));
  if (parts.length === 0) parts.push(make("p", { className: "none" }, "Nothing was found wrong."));
  return parts;
}

function event_card({ words, first, last }) {
  const frames = [first, last].map((frame) => String(Number(frame.toFixed(2))));
  return make("button", { className: "finding", onclick: () => update({ frame: Math.round(first), playing: false }) },
              make("b", {}, words), make("span", { className: "where" }, last > first ? `frames ${frames.join(" to ")}` : `frame ${frames[0]}`));
}

function finding_card(finding, where, go) {
  return make(go ? "button" : "div", { className: `finding ${finding.severity}`, onclick: go || null },
              make("b", {}, finding.message), make("span", { className: "where" }, where),
              make("span", { className: "advice" }, finding.advice), make("code", {}, finding.code));
}

function measures_panel() {
  const clip = current_clip();
  const rows = clip.measures.map((m) => make("tr", { className: m.finding ? "over" : "" },
    make("td", {}, measure_words(m.name).name),
    make("td", { className: "number" }, measure_text(m)),
    make("td", { className: "number" }, m.gate === undefined ? "–" : String(Number(m.gate.toPrecision(3)))),
    make("td", {}, make("button", { title: `go to frame ${m.frame}`, onclick: () => show_measure(state.clip, m) },
                        `${m.frame}${m.where ? `, ${m.where}` : ""}`))));
  return [make("h2", {}, clip.name), table(["measure", "worst", "gate", "frame"], rows, [1, 2])];
}

function chains_panel() {
  const rows = page.pairs ? page.pairs.flatMap(pair_rows) : page.actors[0].chains.flatMap((chain) => chain_rows(0, chain));
  const heads = page.pairs ? [page.actors[0].name, page.actors[1].name, "confidence"] : ["chain", "bones", "confidence"];
  return [...(live.on ? picker_part() : []), table(heads, rows, [2], page.pairs ? "pairs" : "chains")];
}

// Joints with a range; those that go beyond it in this clip first, by how far.
function joints_panel() {
  const last = page.actors.length - 1;
  const { bones, joints } = page.actors[last];
  const over = beyond();
  const within = joints.filter((joint) => !over.some(({ bone }) => bone === joint.bone));
  const chosen = chosen_joint();
  const go = (bone, frame) => update({ frame, playing: false, chosen: choice(last, bone, answer_of), focus: false,
                                       plots: [plot_of_angle(0), plot_of_angle(1)] });
  const row = (bone, words, frame) => {
    const is_lit = chosen && chosen.bone === bone;
    const top = make("tr", { className: `${words ? "over" : ""} ${is_lit ? "chosen" : ""}` },
      make("td", {}, make("button", { onclick: () => go(bone, frame) }, bones[bone].name)),
      make("td", { className: "number" }, words || "within"), make("td", { className: "number" }, words ? String(frame) : ""));
    const ranges = is_lit && ANGLES.map(([angle, name]) => make("li", {}, `${name}: ${chosen[angle].map((v) => v.toFixed(0)).join(" to ")}°`));
    return ranges ? [top, make("tr", {}, make("td", { colSpan: 3 }, "range, away from its rest", make("ul", { className: "evidence" }, ...ranges)))] : [top];
  };
  return [make("h2", {}, `${page.actors[last].name}, ${current_clip().name}`),
    make("p", { className: "none" }, over.length > 0 ? "A diamond marks a joint in the frames in which it is beyond its range." : "All joints stay within their ranges."),
    table(["joint", "beyond by", "frame"], [...over.flatMap(({ bone, degrees, frame }) => row(bone, `${degrees.toFixed(1)}°`, frame)),
                                            ...within.flatMap((joint) => row(joint.bone, "", state.frame))], [1, 2])];
}

function is_chosen(actor, chain) {
  return Boolean(chain && state.chosen && state.chosen.chains[actor] === chain.bones);
}

function chain_button(actor, chain) {
  if (!chain) return make("span", {}, "–");
  const first = chain.bones[0];
  const dot = make("i", { className: "dot" });
  dot.style.background = page.groups[page.actors[actor].bones[first].group].color;
  const tip = chain.bones[chain.bones.length - 1];
  return make("button", { title: chain.bones.map((b) => page.actors[actor].bones[b].name).join(", "),
                          onclick: () => update({ chosen: choice(actor, tip, answer_of), focus: false }) }, dot, chain.name);
}

function pair_rows(pair) {
  const chains = [pair.source, pair.target].map((name, a) => page.actors[a].chains.find((c) => c.name === name));
  const confidence = Math.min(...chains.filter(Boolean).map((c) => c.confidence));
  const chosen = chains.some((chain, a) => is_chosen(a, chain));
  const row = make("tr", { className: chosen ? "chosen" : "" },
                   make("td", {}, chain_button(0, chains[0])),
                   make("td", {}, chain_button(1, chains[1]), ...(pair.how === "same role" ? [] : [make("div", { className: "how" }, pair.how.replace("same role, ", ""))])),
                   make("td", { className: "number" }, Number.isFinite(confidence) ? confidence.toFixed(2) : ""));
  return chosen ? [row, ...chains.map((chain, a) => evidence_row(a, chain)).filter(Boolean)] : [row];
}

function chain_rows(actor, chain) {
  const chosen = is_chosen(actor, chain);
  const row = make("tr", { className: chosen ? "chosen" : "" }, make("td", {}, chain_button(actor, chain)),
                   make("td", {}, chain.bones.map((b) => page.actors[actor].bones[b].name).join(", ")),
                   make("td", { className: "number" }, chain.confidence.toFixed(2)));
  return chosen ? [row, evidence_row(actor, chain)] : [row];
}

function evidence_row(actor, chain) {
  if (!chain) return undefined;
  const names = chain.bones.map((b) => page.actors[actor].bones[b].name).join(", ");
  return make("tr", {}, make("td", { colSpan: 3 }, make("b", {}, `${page.actors[actor].name}: `), names,
    make("ul", { className: "evidence" }, ...chain.evidence.map((words) => make("li", {}, words)))));
}

function table(heads, rows, numbers, name = "") {
  const head = heads.map((words, i) => make("th", { className: numbers.includes(i) ? "number" : "" }, words));
  return make("table", { className: name }, make("thead", {}, make("tr", {}, ...head)), make("tbody", {}, ...rows));
}
