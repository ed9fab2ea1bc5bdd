// Puts the page together: one state, parts that draw it, keys and buttons that change it.
import { page } from "./data.js";
import { state, update, on_change, current_clip, read_address, chain_of, answer_of, MODES, SHOWN } from "./state.js";
import { choice } from "./actor.js";
import { Stage } from "./stage.js";
import { listen_to_stage } from "./pointer.js";
import { draw_marks, draw_plots, place_cursor, write_values, fill_choices, frame_at, lane_at, frame_span, go_to_next_mark, time_words, marks, SPEEDS } from "./timeline.js";
import { TABS, draw_clips, draw_panel, clips_shown } from "./panels.js";
import { make } from "./make.js";
import { live, follow_files, undo, redo, show_before, is_changed } from "./live.js";
import { is_picking, pick } from "./chain_picker.js";
import { joint_of, angles_over_time } from "./joints.js";
import { show_effect, turn_chosen, add_contact } from "./adjust.js";

const $ = (id) => document.getElementById(id);
const VIEWS = [["Front", 0, 0.05, "1"], ["Side", Math.PI / 2, 0.05, "2"], ["Top", 0, 1.57, "3"], ["Back", Math.PI, 0.05, "4"], ["Quarter", 0.6, 0.12, "5"]];
const KEYS = [
  ["space", "play or pause"], ["← →", "one frame; with shift ten"], ["Home End", "first and last frame"], ["N", "next mark"],
  ["↑ ↓", "clip before, clip after"], ["[ ]", "slower, faster"], ["L", "loop"], ["1 – 5", "front, side, top, back, quarter view"],
  ["V", "side by side, overlay, one"], ["M B A X", "mesh, bones, names, axes"], ["T G F", "trails, floor grid, follow"],
  ["+ −", "nearer, farther"], ["J K I U", "turn left, right, up, down"], ["C", "look at the chosen bone, or the whole body"],
  ["O R S", "joints beyond their range, ragdoll bodies, sockets"], ["Esc", "choose nothing"], ["/", "filter clips"], ["D", "dark or light"], ["?", "this help"],
];

let stage;
let dirty = false;
let lanes_drawn = "";  // what the lanes and plots show, so that they are drawn when it changes
let play_from;
let last_picture = 0;
let drawn_frames = 0;
let late = 0;  // pictures in a row, about

function set_theme(theme) {
  state.theme = theme;
  document.documentElement.dataset.theme = theme;
}

function toggle(name) {
  update({ show: { ...state.show, [name]: !state.show[name] } });
}

function step(by) {
  update({ frame: state.frame + by, playing: false });
}

function step_clip(by) {
  const order = clips_shown().map((entry) => entry.index);
  const at = order.indexOf(state.clip);
  const next = order[Math.max(0, Math.min(order.length - 1, at + by))];
  if (next !== undefined) update({ clip: next, frame: 0, chosen: null, focus: false });
}

function choose(found) {
  if (is_picking()) {
    if (found) pick(found);
    return;
  }
  if (!found) update({ chosen: null, focus: false });
  else update({ chosen: choice(found.actor, found.bone, answer_of), tab: "chains" });
}

function reset_view() {
  update({ focus: false, zoom: 2.5, pan: [0, 0, 0] });
}

function set_view([, yaw, pitch]) {
  update({ yaw, pitch, pan: [0, 0, 0] });
}

function change_speed(by) {
  const at = SPEEDS.indexOf(state.speed) + by;
  update({ speed: SPEEDS[Math.max(0, Math.min(SPEEDS.length - 1, at))] });
}

const next_of = (names, name) => names[(names.indexOf(name) + 1) % names.length];

const ACTIONS = {
  " ": () => update({ playing: !state.playing }),
  ArrowLeft: (e) => step(e.shiftKey ? -10 : -1), ArrowRight: (e) => step(e.shiftKey ? 10 : 1),
  ArrowUp: () => step_clip(-1), ArrowDown: () => step_clip(1),
  Home: () => step(-1e9), End: () => step(1e9), n: go_to_next_mark,
  "[": () => change_speed(-1), "]": () => change_speed(1), l: () => update({ loop: !state.loop }),
  v: () => update({ mode: next_of(MODES.map(([name]) => name), state.mode) }),
  "+": () => stage.zoom(0.85), "=": () => stage.zoom(0.85), "-": () => stage.zoom(1 / 0.85),
  j: () => stage.turn(-0.15, 0), k: () => stage.turn(0.15, 0), i: () => stage.turn(0, 0.12), u: () => stage.turn(0, -0.12),
  c: () => (state.chosen && !state.focus ? update({ focus: true, zoom: 1.3, pan: [0, 0, 0] }) : reset_view()),
  Escape: () => update({ chosen: null, focus: false }),
  "/": () => $("filter").focus(), d: () => { set_theme(state.theme === "dark" ? "light" : "dark"); update({}); },
  "?": () => ($("help").open ? $("help").close() : $("help").showModal()),
};
if (live.on) {
  KEYS.push(["Z Y", "undo, redo a change"], ["W", "before the changes, with them"]);
  Object.assign(ACTIONS, { z: () => { undo(); update({ tab: state.tab }); }, y: () => { redo(); update({ tab: state.tab }); },
                           w: () => show_before(!live.before && is_changed()) });
}
for (const view of VIEWS) ACTIONS[view[3]] = () => set_view(view);
for (const [name, , key] of SHOWN) ACTIONS[key] = () => toggle(name);

function on_key(event) {
  const typing = event.target.matches("input[type=search], input[type=number], select");
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (typing && event.key !== "Escape") return;
  if (event.key === " " && event.target.matches("button, input[type=checkbox]")) return;
  if (event.key.startsWith("Arrow") && event.target.closest("#panel")) return;
  const action = ACTIONS[event.key.length === 1 ? event.key.toLowerCase() : event.key];
  if (!action) return;
  if (event.key === "Escape" && ($("help").open || typing)) { event.target.blur(); return; }
  event.preventDefault();
  action(event);
}

function make_buttons() {
  const group = (id, entries) => $(id).replaceChildren(...entries);
  group("modes", MODES.length < 2 ? [] : MODES.map(([name, words]) => make("button", {
    id: `mode-${name}`, title: "V: the next one", onclick: () => update({ mode: name }) }, words)));
  group("views", VIEWS.map((view) => make("button", { title: `${view[0]} (${view[3]})`, onclick: () => set_view(view) }, view[0])));
  group("toggles", SHOWN.map(([name, words, key]) => make("button", {
    id: `show-${name}`, title: `${words} (${key.toUpperCase()})`, onclick: () => toggle(name) }, words)));
  group("tabs", TABS.map(([name, words]) => make("button", {
    id: `tab-${name}`, role: "tab", onclick: () => update({ tab: name }) }, words)));
  $("help").replaceChildren(make("h2", {}, "Keys"), make("dl", {}, ...KEYS.flatMap(([key, what]) => [make("dt", {}, key), make("dd", {}, what)])),
    make("p", {}, "Drag to turn, shift and drag (or two fingers) to move, wheel or pinch to zoom. Click a bone to see its chain, click a finding to go to its frame. " +
      (live.on ? "While you adjust, the rings turn the chosen bone at rest, and a drag over a foot's bar says when it stands. " : "") +
      "The address holds what you look at: send it to show someone the same frame. Lengths are metres, plots dash the source."),
    make("p", {}, `${page.made_with}${page.made_by ? ` · ${page.made_by}` : ""}`),
    make("button", { onclick: () => $("help").close() }, "Close"));
}

function listen() {
  document.addEventListener("keydown", on_key);
  new ResizeObserver(() => update({})).observe($("stage"));
  window.addEventListener("hashchange", () => take_address());
  listen_to_stage(stage, choose, turn_chosen);
  $("play").onclick = () => update({ playing: !state.playing });
  $("back").onclick = () => step(-1);
  $("on").onclick = () => step(1);
  $("to-start").onclick = () => step(-1e9);
  $("to-mark").onclick = go_to_next_mark;
  $("speed").onchange = (e) => update({ speed: Number(e.target.value) });
  $("loop").onchange = (e) => update({ loop: e.target.checked });
  $("scrub").oninput = (e) => update({ frame: Number(e.target.value), playing: false });
  $("plot-a").onchange = (e) => update({ plots: [Number(e.target.value), state.plots[1]] });
  $("plot-b").onchange = (e) => update({ plots: [state.plots[0], Number(e.target.value)] });
  $("filter").oninput = (e) => update({ filter: e.target.value });
  $("only-over").onchange = (e) => update({ only_over: e.target.checked });
  $("theme").onclick = ACTIONS.d;
  $("help-button").onclick = ACTIONS["?"];
  for (const canvas of [$("marks"), $("plots")]) listen_to_time(canvas);
}

// A drag moves the frame; while settings are tried, one over a foot's lane says when that foot stands.
function listen_to_time(canvas) {
  let span;
  const frame = (event) => Math.max(0, Math.min(current_clip().frames - 1, frame_at(event.offsetX, canvas.clientWidth)));
  const ends = (event) => [Math.min(span.first, frame(event)), Math.max(span.first, frame(event))];
  const go = (event) => update({ frame: frame(event), playing: false });
  canvas.onpointerdown = (event) => {
    canvas.setPointerCapture(event.pointerId);
    const leg = canvas.id === "marks" && live.on && state.tab === "adjust" ? lane_at(event.offsetY) : undefined;
    span = leg && { leg, first: frame(event) };
    if (!span) go(event);
  };
  canvas.onpointermove = (event) => {
    if (!(event.buttons & 1)) return;
    if (span) frame_span(canvas, span.leg, ...ends(event));
    else go(event);
  };
  canvas.onpointerup = (event) => {
    if (span && frame(event) !== span.first) add_contact(span.leg, ...ends(event));
    span = undefined;
  };
}

function take_address() {
  const said = read_address(location.hash.slice(1));
  if (said.chosen) said.chosen = choice(said.chosen.actor, said.chosen.bone, answer_of);
  update(said);
}

// Marks what has to be drawn again; all of it happens once, before the next picture.
function on_state(changes) {
  if ("clip" in changes || "chosen" in changes || "plots" in changes) fill_choices($("plot-a"), $("plot-b"), $("speed"));
  if (changes.playing === false) { stage.is_coarse = false; late = 0; }
  if ("playing" in changes || "speed" in changes || "clip" in changes) play_from = undefined;
  if ("revision" in changes) {
    show_effect();
    show_head();
    for (const view of stage.actors) view.trail_clip = -1;
    if (state.tab !== "adjust") draw_panel($("panel"));
  }
  if (Object.keys(changes).some((name) => ["clip", "filter", "only_over", "revision"].includes(name))) draw_clips($("clip-list"));
  if (Object.keys(changes).some((name) => ["clip", "tab", "chosen"].includes(name))) draw_panel($("panel"));
  if (!dirty) requestAnimationFrame(() => { if (dirty) draw(); });
  dirty = true;
}

/** Draws everything as the state is, now. */
export function draw() {
  dirty = false;
  // Texts change less often while frames come late.
  const is_text_due = !state.playing || !stage.is_coarse || ++drawn_frames % 5 === 0;
  if (is_text_due) show_controls();
  else $("scrub").value = state.frame;
  // The lanes first: their height decides how high the stage is.
  const drawn = [state.clip, state.revision, state.plots, state.theme, state.chosen && JSON.stringify(state.chosen), $("plots").clientWidth, window.devicePixelRatio].join();
  if (drawn !== lanes_drawn) {
    lanes_drawn = drawn;
    draw_marks($("marks"));
    draw_plots($("plots"), $("values"));
  }
  place_cursor($("cursor"), $("plots"));
  if (is_text_due) write_values($("plots"), $("values"));
  stage.resize();
  stage.pose();
  $("bone").textContent = bone_words();
  stage.draw();
  if (state.playing) requestAnimationFrame(play);
}

// Fewer pixels and triangles while frames come late, all of them as soon as the clip stands still.
function watch_speed(now, clip) {
  late = Math.max(0, late + (now - last_picture > 1250 / (clip.fps * state.speed) ? 1 : -1));
  last_picture = now;
  if (late > 5) stage.is_coarse = true;
}

function play(now) {
  if (!state.playing) return;
  const clip = current_clip();
  if (play_from === undefined) play_from = { now, frame: state.frame };
  let frame = play_from.frame + ((now - play_from.now) / 1000) * clip.fps * state.speed;
  if (frame > clip.frames - 1) {
    if (!state.loop) { update({ frame: clip.frames - 1, playing: false }); return; }
    play_from = { now, frame: 0 };
    frame = 0;
  }
  if (Math.floor(frame) === state.frame) {
    requestAnimationFrame(play);
    return;
  }
  watch_speed(now, clip);
  update({ frame: Math.floor(frame) });
  draw();  // in this very picture, not in the next
}

function show_controls() {
  const clip = current_clip();
  $("scrub").max = clip.frames - 1;
  $("scrub").value = state.frame;
  $("scrub").setAttribute("aria-valuetext", time_words());
  $("time").textContent = time_words();
  $("play").textContent = state.playing ? "❚❚" : "▶";
  $("speed").value = state.speed;
  $("loop").checked = state.loop;
  for (const id of ["plot-a", "plot-b"]) $(id).parentElement.hidden = clip.plots.length === 0;
  $("to-mark").disabled = marks().length === 0;
  for (const [name] of MODES) { const b = $(`mode-${name}`); if (b) b.setAttribute("aria-pressed", state.mode === name); }
  for (const [name] of SHOWN) $(`show-${name}`).setAttribute("aria-pressed", state.show[name]);
  for (const [name] of TABS) $(`tab-${name}`).setAttribute("aria-selected", state.tab === name);
}

function bone_words() {
  if (!state.chosen) return "";
  const { actor, bone } = state.chosen;
  const chain = chain_of(actor, bone);
  const at = stage.actors[actor].on_stage(bone);
  return `${page.actors[actor].name}: ${page.actors[actor].bones[bone].name}${chain ? ` of ${chain.name}` : ""}, ` +
    `at ${[at.x, at.y, at.z].map((v) => v.toFixed(3)).join(", ")} m`;
}

function show_head() {
  $("title").textContent = page.title;
  document.body.classList.toggle("single", page.actors.length === 1);
  if (!page.pairs) {
    $("only-over-label").hidden = true;
    $("verdict").hidden = true;
    return;
  }
  const over = page.clips.filter((clip) => clip.measures.some((m) => m.finding)).length;
  const passed = over === 0;
  $("verdict").textContent = passed ? "all gates hold" : `${over} of ${page.clips.filter((clip) => clip.measures.length > 0).length} clips over a gate`;
  $("verdict").className = passed ? "good" : "bad";
}

function start() {
  set_theme(matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light");
  stage = new Stage($("stage"));
  show_head();
  make_buttons();
  on_change(on_state);
  listen();
  const first = clips_shown()[0];
  state.clip = first ? first.index : 0;
  take_address();
  update({ clip: state.clip, tab: state.tab });
  draw();
  follow_files();
  // For tests and curious people: what is shown, and where it is.
  window.page = {
    state, update, draw, stage, live, document: page,
    angles: (bone) => angles_over_time(joint_of(page.actors.length - 1, bone)),
    bone: (actor, bone) => { draw(); return stage.actors[actor].matrices[bone].elements.slice(); },
    on_screen: (actor, bone) => {
      draw();
      const pane = stage.shown.find((p) => p.follows === actor);
      stage.place_camera(pane, pane.width, stage.height);
      return stage.to_screen(pane, stage.actors[actor].on_stage(bone));
    },
  };
}

try {
  start();
} catch (problem) {
  $("failure").hidden = false;
  $("failure").textContent = `This page cannot be shown: ${problem.message}. It needs WebGL; try another browser, or switch hardware acceleration on.`;
  throw problem;
}
