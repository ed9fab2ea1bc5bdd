// On the live page: a chain that was found wrong is picked bone by bone, named and kept in the sheet.
import { page } from "./data.js";
import { state, update } from "./state.js";
import { live } from "./live.js";
import { make } from "./make.js";

const KNOWN = ["spine", "neck", "head", "tail", "jaw", ...["shoulder", "arm", "thumb", "index", "middle", "ring", "little", "leg", "toes", "ear",
  "grip"].flatMap((role) => [`${role}.left`, `${role}.right`]), "leg.front.left", "leg.front.right", "leg.back.left", "leg.back.right"];

let picked = null;  // { actor, bones }

export function is_picking() {
  return picked !== null;
}

/** Takes a bone that was clicked, or gives it back. */
export function pick({ actor, bone }) {
  if (picked.bones.length === 0) picked.actor = actor;
  if (picked.actor !== actor) return;
  const at = picked.bones.indexOf(bone);
  if (at >= 0) picked.bones.splice(at, 1);
  else picked.bones.push(bone);
  picked.bones.sort((a, b) => a - b);  // a bone stands behind its parent
  light();
}

function light() {
  const { actor, bones } = picked;
  update({ chosen: bones.length === 0 ? null : { actor, bone: bones[bones.length - 1], chains: page.actors.map((_, a) => (a === actor ? bones : [])) } });
}

/** The part of the panel where a chain is set. */
export function picker_part() {
  if (!picked)
    return [make("h2", {}, "a chain is wrong?"), make("button", { id: "pick", onclick: () => { picked = { actor: 1, bones: [] }; light(); } }, "Pick its bones")];
  const { actor, bones } = picked;
  const names = make("datalist", { id: "chain-names" }, ...KNOWN.map((name) => new Option(name, name)));
  const name = make("input", { type: "search", placeholder: "arm.left", "aria-label": "name of the chain" });
  name.setAttribute("list", "chain-names");
  const problem = make("p", { className: "problem", role: "alert" });
  const keep = make("button", { id: "keep-chain", disabled: bones.length === 0, onclick: () => keep_chain(name.value.trim(), problem) }, "Keep in its sheet");
  const end = make("button", { onclick: () => { picked = null; update({ chosen: null }); } }, "Cancel");
  return [make("h2", {}, `picked of ${page.actors[actor].name}`),
          make("p", {}, bones.length === 0 ? "Click bones in the view, of one character." : bones.map((b) => page.actors[actor].bones[b].name).join(", ")),
          make("div", { className: "line" }, name), make("div", { className: "buttons" }, keep, end), names, problem];
}

async function keep_chain(name, problem) {
  if (name === "") { problem.textContent = "Give the chain a name: arm.left, spine, tail …"; return; }
  const { actor, bones } = picked;
  const of = actor === page.actors.length - 1 ? "target" : "source";
  const answer = await fetch(`/chain?of=${of}&name=${encodeURIComponent(name)}`,
    { method: "POST", body: JSON.stringify(bones.map((b) => page.actors[actor].bones[b].name)) });
  if (!answer.ok) { problem.textContent = (await answer.json()).problem; return; }
  picked = null;  // the page is opened again when the server has seen the sheet
  live.problem = "";
  update({ tab: state.tab });
}
