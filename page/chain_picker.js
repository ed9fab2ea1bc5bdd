// On the live page: a chain that was found wrong is picked bone by bone, named and kept in the sheet.
import { page } from "./data.js";
import { state, update } from "./state.js";
import { make } from "./make.js";

const KNOWN = ["spine", "neck", "head", "tail", "jaw", ...["shoulder", "arm", "thumb", "index", "middle", "ring", "little", "leg", "toes", "ear",
  "grip"].flatMap((role) => [`${role}.left`, `${role}.right`]), "leg.front.left", "leg.front.right", "leg.back.left", "leg.back.right"];

let picked = null;  // { actor, bones, name, problem }

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
    return [make("h2", {}, "a chain is wrong?"), make("button", { id: "pick", onclick: () => { picked = { actor: 1, bones: [], name: "", problem: "" }; light(); } }, "Pick its bones")];
  const { actor, bones } = picked;
  const names = make("datalist", { id: "chain-names" }, ...KNOWN.map((name) => new Option(name, name)));
  const name = make("input", { id: "chain-name", type: "search", placeholder: "arm.left", "aria-label": "name of the chain", value: picked.name,
                               oninput: (event) => { picked.name = event.target.value; } });
  name.setAttribute("list", "chain-names");
  const problem = make("p", { className: "problem", role: "alert" }, picked.problem);
  const keep = make("button", { id: "keep-chain", disabled: bones.length === 0, onclick: keep_chain }, "Keep in its sheet");
  const end = make("button", { onclick: () => { picked = null; update({ chosen: null }); } }, "Cancel");
  return [make("h2", {}, `picked of ${page.actors[actor].name}`),
          make("p", {}, bones.length === 0 ? "Click bones in the view, of one character." : bones.map((b) => page.actors[actor].bones[b].name).join(", ")),
          make("div", { className: "line" }, name), make("div", { className: "buttons" }, keep, end), names, problem];
}

async function keep_chain() {
  const { actor, bones } = picked;
  const name = picked.name.trim();
  const of = actor === page.actors.length - 1 ? "target" : "source";
  const answer = name !== "" && await fetch(`/chain?of=${of}&name=${encodeURIComponent(name)}`,
    { method: "POST", body: JSON.stringify(bones.map((b) => page.actors[actor].bones[b].name)) });
  if (answer && answer.ok) picked = null;  // the page is opened again when the server has seen the sheet
  else picked.problem = answer ? (await answer.json()).problem : "Give the chain a name: arm.left, spine, tail …";
  update({ tab: state.tab });
}
