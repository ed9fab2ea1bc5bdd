// A page from a server: it follows the files, tries settings on the clip that is shown, and keeps them.
import { page, unpack, adopt } from "./data.js";
import { state, update, on_change } from "./state.js";

const POLL = 250;  // milliseconds

/** What is being tried. `pairing` is the pairing file's document with the changes that are not kept yet. */
export const live = {
  on: Boolean(page.live), keeps: Boolean(page.live) && page.live !== "-",
  pairing: structuredClone(page.pairing), undo: [], redo: [], before: false, problem: "", gesture: null,
};

let kept = [...page.clips];      // as the file has them
const tried = new Map();         // by index of the clip
let seen = page.state;
let busy = false;
let again = false;

const text_of = (pairing) => JSON.stringify(pairing);

export function is_changed() {
  return live.on && text_of(live.pairing) !== text_of(page.pairing);
}

/** The clip that is shown as the file has it, and as it is with the changes; the same if there are none. */
export function both_of(clip) {
  return [kept[clip], tried.get(clip) || kept[clip]];
}

/** Changes the pairing and shows what comes of it. Changes of one `gesture` are undone as one. */
export function change(edit, gesture = null) {
  if (gesture === null || gesture !== live.gesture) live.undo.push(text_of(live.pairing));
  live.gesture = gesture;
  live.redo = [];
  live.before = false;
  edit(live.pairing);
  try_now();
}

export function undo() {
  if (live.undo.length === 0) return;
  live.redo.push(text_of(live.pairing));
  go_to(live.undo.pop());
}

export function redo() {
  if (live.redo.length === 0) return;
  live.undo.push(text_of(live.pairing));
  go_to(live.redo.pop());
}

function go_to(text) {
  live.pairing = JSON.parse(text);
  live.gesture = null;
  try_now();
}

/** Shows the clip as it was before the changes, or with them. */
export function show_before(before) {
  live.before = before;
  show();
}

/** Writes the pairing file. The page then follows it as any other change of the file. */
export async function keep() {
  const answer = await fetch("/keep", { method: "POST", body: text_of(live.pairing) });
  live.problem = answer.ok ? "" : (await answer.json()).problem;
  if (answer.ok) await look();
  update({ revision: state.revision + 1 });
}

function show() {
  const [was, is] = both_of(state.clip);
  page.clips[state.clip] = live.before ? was : is;
  update({ revision: state.revision + 1 });
}

// One request at a time; what changed meanwhile is asked for when it is back.
async function try_now() {
  tried.clear();
  page.clips.splice(0, page.clips.length, ...kept);
  if (!is_changed()) { live.problem = ""; return show(); }
  again = busy;
  if (busy) return undefined;
  busy = true;
  const clip = state.clip;
  const answer = await fetch(`/attempt?clip=${encodeURIComponent(kept[clip].name)}`, { method: "POST", body: text_of(live.pairing) })
    .catch(() => undefined);
  busy = false;
  if (!answer) live.problem = "the server does not answer; is it still running?";
  else if (!answer.ok) live.problem = (await answer.json()).problem;
  else {
    live.problem = "";
    const { document: part, numbers } = unpack(await answer.arrayBuffer());
    adopt(part.clip, numbers);
    tried.set(clip, part.clip);
  }
  if (again) return try_now();
  return show();
}

async function look() {
  const answer = await fetch("/state").catch(() => undefined);
  if (!answer) return tell("The server does not answer; is it still running?");
  const now = await answer.json();
  tell(now.problem ? `${now.problem} – shown is the last that was good.` : "");
  if (now.cast !== seen.cast) {  // other characters: the page is opened again, and goes on with what is not kept
    if (is_changed()) sessionStorage.setItem("changes", text_of(live.pairing));
    location.reload();
    return new Promise(() => {});  // nothing more is asked for until the page is there again
  }
  if (now.pairing !== seen.pairing) { seen = now; await load(); }
  return undefined;
}

async function load() {
  const { document: fresh, numbers } = unpack(await (await fetch("/data")).arrayBuffer());
  const had_changes = is_changed();
  adopt(fresh.clips, numbers);
  kept = fresh.clips;
  for (const name of ["pairs", "findings", "pairing", "leg_ratio"]) page[name] = fresh[name];
  if (!had_changes) live.pairing = structuredClone(page.pairing);
  await try_now();
  update({ clip: Math.min(state.clip, page.clips.length - 1), tab: state.tab });
}

function tell(words) {
  const notice = document.getElementById("notice");
  notice.hidden = words === "";
  if (notice.textContent !== words) notice.textContent = words;
}

/** Begins to follow the files. */
export function follow_files() {
  if (!live.on) return;
  on_change((changes) => {
    if ("clip" in changes && is_changed() && !tried.has(state.clip)) try_now();
  });
  const saved = sessionStorage.getItem("changes");
  sessionStorage.removeItem("changes");
  if (saved) {
    live.undo.push(text_of(live.pairing));
    go_to(saved);
  }
  const next = async () => { try { await look(); } finally { setTimeout(next, POLL); } };
  setTimeout(next, POLL);
}
