// The settings that people turn most, on a page from a server.
import { page } from "./data.js";
import { measure_words, measure_text } from "./measures.js";
import { state, update, current_clip, chain_of, answer_of, is_limb } from "./state.js";
import { live, change, undo, redo, keep, show_before, is_changed, both_of } from "./live.js";
import { choice } from "./actor.js";
import { make } from "./make.js";

const PASSES = [["feet", "feet stand where the source's do"], ["hands", "hands stay together and on the body"],
                ["clearance", "arms stay out of the body"], ["ranges", "joints stay within their ranges"]];
const AXES = ["left", "up", "forward"];

/** The panel. It is built anew when something else is chosen; `show_effect` keeps it true while it is used. */
export function adjust_panel() {
  const parts = [make("div", { id: "effect", role: "status" }), command_row(), make("h2", {}, "passes"), passes(),
                 make("h2", {}, `root motion of ${current_clip().name}`), root_motion()];
  parts.push(make("h2", {}, "chain"), chain_choice(), ...chain_controls());
  parts.push(make("h2", {}, `where feet stand in ${current_clip().name}`), ...contacts());
  queueMicrotask(show_effect);
  return parts;
}

/** Writes what the changes do to the measures, and which buttons can be pressed. */
export function show_effect() {
  const effect = document.getElementById("effect");
  if (!effect) return;
  const [was, is] = both_of(state.clip);
  const before = new Map(was.measures.map((m) => [m.name, m]));
  const rows = is.measures.filter((m) => before.has(m.name) && measure_text(before.get(m.name)) !== measure_text(m))
    .map((m) => make("tr", { className: m.finding ? "over" : "" }, make("td", {}, measure_words(m.name).name),
      make("td", { className: "number" }, measure_text(before.get(m.name))), make("td", { className: "number" }, measure_text(m))));
  const head = make("tr", {}, ...["measure", "before", "now"].map((w, i) => make("th", { className: i ? "number" : "" }, w)));
  effect.replaceChildren(
    ...(live.problem ? [make("p", { className: "problem" }, live.problem)] : []),
    make("p", { className: "none" }, is_changed() ? (live.before ? "Shown: before the changes." : "Changed, not kept yet.") : "No changes."),
    ...(rows.length > 0 ? [make("table", {}, head, ...rows)] : []));
  for (const [id, on] of [["undo", live.undo.length > 0], ["redo", live.redo.length > 0], ["before", is_changed()],
                          ["keep", is_changed() && live.keeps]]) document.getElementById(id).disabled = !on;
  document.getElementById("before").setAttribute("aria-pressed", live.before);
}

function command_row() {
  const button = (id, words, title, go) => make("button", { id, title, onclick: go }, words);
  return make("div", { className: "buttons" },
    button("undo", "Undo", "Z", () => { undo(); rebuild(); }), button("redo", "Redo", "Y", () => { redo(); rebuild(); }),
    button("before", "Before", "W: show the clip without the changes", () => show_before(!live.before)),
    button("keep", "Keep", live.keeps ? `write ${page.live}` : "start `dendraxis serve` with --pairing FILE to keep changes", keep));
}

function rebuild() {
  update({ tab: state.tab });
}

function passes() {
  return make("div", {}, ...PASSES.map(([name, words]) => {
    const box = make("input", { type: "checkbox", checked: (live.pairing.passes || {})[name] !== false,
      onchange: () => change((p) => { p.passes = { ...p.passes, [name]: box.checked }; }) });
    return make("label", { className: "line" }, box, ` ${words}`);
  }));
}

function root_motion() {
  const name = current_clip().name;
  const rules = live.pairing.root_motion || [];
  const fits = (pattern) => new RegExp(`^${pattern.split("*").map((w) => w.replace(/[.+?^${}()|[\]\\]/g, "\\$&")).join(".*")}$`).test(name);
  const rule = rules.find((r) => fits(r.clips));
  const select = make("select", { "aria-label": "root motion", onchange: () => change((p) => {
    p.root_motion = [{ clips: name, how: select.value }, ...(p.root_motion || []).filter((r) => r.clips !== name)];
  }) }, ...[["scaled", "scaled by the legs"], ["copied", "as many metres"], ["in-place", "in place"]].map(([v, w]) => new Option(w, v)));
  select.value = rule ? rule.how : "scaled";
  return select;
}

// The target's chosen bone and its chain.
function chosen_part() {
  const last = page.actors.length - 1;
  if (!state.chosen) return {};
  const bone = answer_of(state.chosen.actor, state.chosen.bone, last);
  return { bone, chain: chain_of(last, bone) };
}

function chain_choice() {
  const last = page.actors.length - 1;
  const { chain } = chosen_part();
  const names = live.pairing.chains.map((entry) => entry.target);
  const select = make("select", { "aria-label": "chain", onchange: () => {
    const own = page.actors[last].chains.find((c) => c.name === select.value);
    if (own) update({ chosen: choice(last, own.bones[own.bones.length - 1], answer_of), focus: false });
  } }, new Option("choose one, or click a bone", ""), ...names.map((name) => new Option(name, name)));
  select.value = chain ? chain.name : "";
  return select;
}

function chain_controls() {
  const { bone, chain } = chosen_part();
  const entry = chain && live.pairing.chains.find((c) => c.target === chain.name);
  if (!entry) return [];
  const name = page.actors[page.actors.length - 1].bones[bone].name;
  const parts = [slider("strength", entry.strength ?? 1, 0, 1, 0.01, (p, v) => set_entry(p, chain.name, "strength", v, 1))];
  if (is_limb(chain)) parts.push(slider("reach", entry.reach ?? 0, 0, 1, 0.01, (p, v) => set_entry(p, chain.name, "reach", v, 0)));
  if (is_limb(chain)) {
    const offset = (live.pairing.offsets || []).find((o) => o.chain === chain.name);
    parts.push(make("h2", {}, `end of ${chain.name}, metres`), ...AXES.map((axis, i) =>
      slider(axis, offset ? offset.metres[i] : 0, -0.3, 0.3, 0.005, (p, v) => set_vector(p, "offsets", "chain", chain.name, "metres", i, v))));
  }
  const turn = (live.pairing.turns || []).find((t) => t.bone === name);
  parts.push(make("h2", {}, `turn of ${name} at rest, degrees about`), ...AXES.map((axis, i) =>
    slider(axis, turn ? turn.degrees[i] : 0, -90, 90, 1, (p, v) => set_vector(p, "turns", "bone", name, "degrees", i, v))));
  return parts;
}

function set_entry(pairing, target, key, value, usual) {
  const entry = pairing.chains.find((c) => c.target === target);
  if (value === usual) delete entry[key];
  else entry[key] = value;
}

function set_vector(pairing, list, key, name, values, index, value) {
  const all = (pairing[list] || []).map((item) => ({ ...item }));
  let item = all.find((one) => one[key] === name);
  if (!item) { item = { [key]: name, [values]: [0, 0, 0] }; all.push(item); }
  item[values] = item[values].map((v, i) => (i === index ? value : v));
  pairing[list] = all.filter((one) => one[key] !== name || one[values].some((v) => v !== 0));
}

/** Turns the chosen bone of the result at rest, about left, up or forward; `axis` -1 ends the drag. */
export function turn_chosen(axis, degrees, drag) {
  if (axis < 0) { rebuild(); return; }
  const { bone } = chosen_part();
  const name = page.actors[page.actors.length - 1].bones[bone].name;
  change((p) => {
    const turn = (p.turns || []).find((t) => t.bone === name);
    drag.value = (drag.value ?? (turn ? turn.degrees[axis] : 0)) + degrees;
    set_vector(p, "turns", "bone", name, "degrees", axis, Math.round(10 * drag.value) / 10);
  }, drag);
}

/** Says that a foot of the source stands in these frames of the current clip. */
export function add_contact(leg, first, last) {
  const name = current_clip().name;
  change((p) => { p.contacts = [...(p.contacts || []), { clip: name, leg, from: first, to: last }]; });
  rebuild();
}

// A slider with its number; one drag is one step of undo.
function slider(words, value, min, max, step, set) {
  let drag = {};
  const range = make("input", { type: "range", min, max, step, value, "aria-label": words });
  const number = make("input", { type: "number", min, max, step, value, "aria-label": `${words}, number` });
  const apply = (text, other) => {
    const v = Math.max(min, Math.min(max, Number(text)));
    if (!Number.isFinite(v)) return;
    other.value = v;
    change((p) => set(p, v), drag);
  };
  range.oninput = () => apply(range.value, number);
  range.onchange = () => { drag = {}; };
  number.onchange = () => { apply(number.value, range); drag = {}; };
  return make("label", { className: "slider" }, make("span", {}, words), range, number);
}

function contacts() {
  const name = current_clip().name;
  const legs = page.actors[0].chains.filter((c) => c.role === "leg").map((c) => c.name);
  const own = (live.pairing.contacts || []).filter((c) => c.clip === name);
  const lines = own.map((span) => make("div", { className: "line" }, `${span.leg}: ${span.from} to ${span.to} `,
    make("button", { onclick: () => { change((p) => { p.contacts = p.contacts.filter((c) => text_of_span(c) !== text_of_span(span)); }); rebuild(); } }, "Remove")));
  if (own.length === 0) lines.push(make("p", { className: "none" }, "Found from the source's motion. Drag over a foot's bar on the timeline to say when it stands: that alone then decides for this foot in this clip."));
  const leg = make("select", { "aria-label": "leg" }, ...legs.map((l) => new Option(l, l)));
  const from = make("input", { type: "number", min: 0, max: current_clip().frames - 1, value: state.frame, "aria-label": "from frame" });
  const to = make("input", { type: "number", min: 0, max: current_clip().frames - 1, value: Math.min(state.frame + 10, current_clip().frames - 1), "aria-label": "to frame" });
  const add = make("button", { onclick: () => add_contact(leg.value, Number(from.value), Number(to.value)) }, "Add");
  return [...lines, make("div", { className: "line" }, leg, from, to, add)];
}

const text_of_span = (span) => [span.clip, span.leg, span.from, span.to].join();
