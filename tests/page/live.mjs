// Drives a page from a server as a person would, and prints what happened as JSON.
// node live.mjs FOLDER-WITH-PLAYWRIGHT ADDRESS PAIRING-FILE
import { launch, PATIENCE } from "./launch.mjs";
import { readFileSync, writeFileSync } from "node:fs";

const [, , modules, address, file] = process.argv;
const browser = await launch(modules);
const errors = [];
async function open(width, height) {
  const tab = await browser.newPage({ viewport: { width, height } });
  tab.setDefaultTimeout(PATIENCE);
  tab.on("pageerror", (problem) => errors.push(problem.message));
  await tab.goto(`${address}#clip=crouch&frame=40&tab=adjust`);
  return tab;
}
const tab = await open(1000, 640);
const other = await open(640, 400);
const hand = () => tab.evaluate(() => {
  const chain = page.document.actors[1].chains.find((c) => c.name === "arm.right");
  return page.bone(1, chain.bones[chain.bones.length - 1]).slice(12, 15);
});
const height = async () => (await hand())[1];
const slide = async (value) => {
  const revision = await tab.evaluate(() => page.state.revision);
  await tab.evaluate((v) => {
    const range = [...document.querySelectorAll(".slider")].find((s) => s.textContent === "up").querySelector("input[type=range]");
    range.value = v;
    range.oninput();
    range.onchange();
  }, value);
  await tab.waitForFunction((r) => page.state.revision > r, revision);
};
const press = async (key) => {
  const revision = await tab.evaluate(() => page.state.revision);
  await tab.evaluate(() => document.getElementById("stage").focus());
  await tab.keyboard.press(key);
  await tab.waitForFunction((r) => page.state.revision > r, revision);
};

const result = {};
await tab.selectOption("#panel select[aria-label=chain]", "arm.right");
await tab.waitForSelector(".slider");
const start = await height();
await slide(0.1);
await tab.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))));
const told = await tab.evaluate(() => document.getElementById("bone").textContent);
result.told = told.includes((await height()).toFixed(3));
result.raised = await height() - start;
result.file_untouched = (() => { try { readFileSync(file); return false; } catch { return true; } })();
await press("w");
result.before = await height() - start;
await press("w");
await press("z");
result.undone = await height() - start;
await press("y");
result.redone = await height() - start;
await tab.click("#keep");
await tab.waitForFunction(() => document.getElementById("keep").disabled);
result.kept = JSON.parse(readFileSync(file, "utf8")).offsets;
await other.waitForFunction(() => page.document.pairing.offsets?.length === 1);
result.other_tab = await other.evaluate(() => page.live.pairing.offsets);
await other.close();

// A change of the file shows in place; a bad file is told, and what was good stays.
const pairing = JSON.parse(readFileSync(file, "utf8"));
pairing.offsets = [];
writeFileSync(file, JSON.stringify(pairing));
await tab.waitForFunction(() => page.document.pairing.offsets.length === 0);
result.followed = await height() - start;
result.still_at = await tab.evaluate(() => [page.document.clips[page.state.clip].name, page.state.frame]);
writeFileSync(file, "{ this is no JSON");
await tab.waitForFunction(() => !document.getElementById("notice").hidden);
result.notice = await tab.evaluate(() => document.getElementById("notice").textContent);
result.stays = await height() - start;
writeFileSync(file, JSON.stringify(pairing));
await tab.waitForFunction(() => document.getElementById("notice").hidden);
// A drag on a ring turns the chosen bone at rest; one over a lane says when a foot stands.
await tab.bringToFront();
const rings = await tab.evaluate(() => {
  const stage = page.stage;
  page.draw();
  const pane = stage.shown.find((p) => p.follows === 1);
  stage.lay_rings(pane);
  stage.place_camera(pane, pane.width, stage.height);
  const middle = stage.to_screen(pane, stage.rings.group.position);
  const points = stage.rings.circles[2].map((p) => stage.to_screen(pane, p.clone().applyMatrix4(stage.rings.group.matrixWorld)));
  const point = points.find((p) => stage.ring_at(p.x, p.y)?.axis === 2 && Math.hypot(p.x - middle.x, p.y - middle.y) > 20);
  return { middle, point };
});
const box = await tab.locator("#stage").boundingBox();
const arm = [rings.point.x - rings.middle.x, rings.point.y - rings.middle.y];
await tab.mouse.move(box.x + rings.point.x, box.y + rings.point.y);
await tab.mouse.down();
for (let step = 1; step <= 5; ++step) {
  const angle = (step * 4 * Math.PI) / 180;
  await tab.mouse.move(box.x + rings.middle.x + arm[0] * Math.cos(angle) - arm[1] * Math.sin(angle),
                       box.y + rings.middle.y + arm[0] * Math.sin(angle) + arm[1] * Math.cos(angle));
}
await tab.mouse.up();
result.turns = await tab.evaluate(() => page.live.pairing.turns);
result.undo_steps = await tab.evaluate(() => page.live.undo.length);
await tab.evaluate(() => page.draw());
const lanes = await tab.locator("#marks").boundingBox();
await tab.mouse.move(lanes.x + 0.3 * lanes.width, lanes.y + 22);
await tab.mouse.down();
await tab.mouse.move(lanes.x + 0.6 * lanes.width, lanes.y + 22);
await tab.mouse.up();
result.contacts = await tab.evaluate(() => page.live.pairing.contacts);
result.undo_steps_then = await tab.evaluate(() => page.live.undo.length);

// A chain is picked, named and kept in the sheet; the page comes back with it, and with the changes that are not kept.
const spine = () => tab.evaluate(() => page.document.actors[1].chains.find((c) => c.name === "spine").bones.length);
result.spine_before = await spine();
await tab.evaluate(() => page.update({ tab: "chains", frame: 0, yaw: 0, pitch: 0.05, zoom: 1.5, focus: false, pan: [0, 0, 0] }));
await tab.click("#pick");
const view = await tab.locator("#stage").boundingBox();
for (const name of ["Bo.Back1", "Bo.Back2", "Bo.Back3"]) {
  const at = await tab.evaluate((n) => page.on_screen(1, page.document.actors[1].bones.findIndex((b) => b.name === n)), name);
  await tab.mouse.click(view.x + at.x, view.y + at.y);
}
await tab.fill("input[aria-label='name of the chain']", "spine");
// What comes back from the server meanwhile takes no name away, and no press.
const come_back = () => tab.evaluate(() => page.update({ revision: page.state.revision + 1 }));
await come_back();
result.name = await tab.evaluate(() => [document.activeElement.id, document.activeElement.value]);
const keep_chain = await tab.locator("#keep-chain").boundingBox();
await tab.mouse.move(keep_chain.x + 5, keep_chain.y + 5);
await tab.mouse.down();
await come_back();
await tab.mouse.up();
await tab.waitForFunction((before) => window.page && page.document.actors[1].chains.find((c) => c.name === "spine").bones.length < before, result.spine_before);
result.spine_after = await spine();
result.turns_after = await tab.evaluate(() => page.live.pairing.turns);
result.errors = errors;
await browser.close();
console.log(JSON.stringify(result));
