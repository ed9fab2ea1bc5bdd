// Drives a page in a headless browser as a person would, and prints what happened as JSON.
// node browser.mjs FOLDER-WITH-PLAYWRIGHT PAGE.html EXPECTED.json
import { launch, PATIENCE } from "./launch.mjs";
import { readFileSync } from "node:fs";
import { resolve } from "node:path";

const [, , modules, file, expected_file] = process.argv;
const expected = JSON.parse(readFileSync(expected_file, "utf8"));
const address = `file://${resolve(file)}`;

const browser = await launch(modules);
const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
context.setDefaultTimeout(PATIENCE);
const errors = [];

async function open(hash = "") {
  const tab = await context.newPage();
  tab.on("console", (message) => { if (message.type() === "error") errors.push(message.text()); });
  tab.on("pageerror", (problem) => errors.push(problem.message));
  tab.on("request", (request) => { if (!/^(file|data|blob):/.test(request.url())) errors.push(`asked for ${request.url()}`); });
  await tab.goto(address + hash);
  return tab;
}

const result = {};
const tab = await open();
const state = () => tab.evaluate(() => ({ ...page.state }));

// What is seen before anything is touched, as a PNG: a blank one takes a few hundred bytes.
await tab.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))));
result.first_picture = (await tab.locator("#stage").screenshot()).length;

// Bones stand where the library has them.
result.distances = await tab.evaluate((wanted) => wanted.map(({ actor, clip, frame, bone, position }) => {
  page.update({ clip: page.document.clips.findIndex((c) => c.name === clip), frame });
  const m = page.bone(actor, bone);
  return Math.hypot(m[12] - position[0], m[13] - position[1], m[14] - position[2]);
}), expected.bones);

// Joints turn as the library measures them.
result.angles_off = await tab.evaluate((wanted) => wanted.map(({ clip, frame, bone, degrees }) => {
  page.update({ clip: page.document.clips.findIndex((c) => c.name === clip) });
  const { bend, side, twist } = page.angles(bone);
  return Math.max(...[bend, side, twist].map((all, i) => Math.abs(all[frame] - degrees[i])));
}), expected.angles);

// Something is drawn.
result.colors = await tab.evaluate(() => {
  page.draw();
  const canvas = document.getElementById("view");
  const gl = canvas.getContext("webgl");
  const pixels = new Uint8Array(4 * canvas.width * canvas.height);
  gl.readPixels(0, 0, canvas.width, canvas.height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
  const colors = new Set();
  for (let i = 0; i < pixels.length; i += 4) colors.add((pixels[i] << 16) | (pixels[i + 1] << 8) | pixels[i + 2]);
  return colors.size;
});

// Keys.
await tab.evaluate(() => page.update({ frame: 3, playing: false }));
await tab.keyboard.press("ArrowRight");
result.after_right = (await state()).frame;
await tab.keyboard.press("End");
result.at_end = (await state()).frame === await tab.evaluate(() => page.document.clips[page.state.clip].frames - 1);
await tab.keyboard.press("Home");
result.after_home = (await state()).frame;
await tab.keyboard.press("Space");
await tab.waitForFunction(() => page.state.frame > 0);
result.plays = (await state()).playing;
await tab.keyboard.press("Space");
result.stops = !(await state()).playing;
await tab.keyboard.press("v");
result.mode = (await state()).mode;
await tab.keyboard.press("2");
result.side_view = Math.abs((await state()).yaw - Math.PI / 2) < 1e-6;
await tab.keyboard.press("?");
result.help_opens = await tab.evaluate(() => document.getElementById("help").open);
await tab.keyboard.press("Escape");
result.help_closes = await tab.evaluate(() => !document.getElementById("help").open);

// Two fingers that part bring the figure nearer; one that drags turns it.
result.pinched = await tab.evaluate(() => {
  const stage = document.getElementById("stage");
  const box = stage.getBoundingClientRect();
  const send = (type, id, x) => stage.dispatchEvent(new PointerEvent(type,
    { pointerId: id, pointerType: "touch", isPrimary: id === 1, clientX: box.left + x, clientY: box.top + 60, bubbles: true, buttons: 1 }));
  stage.setPointerCapture = () => {};
  const { zoom, yaw } = page.state;
  send("pointerdown", 1, 100); send("pointerdown", 2, 200); send("pointermove", 2, 300); send("pointerup", 2, 300); send("pointerup", 1, 100);
  const nearer = zoom / page.state.zoom;
  send("pointerdown", 1, 100); send("pointermove", 1, 150); send("pointerup", 1, 150);
  delete stage.setPointerCapture;
  return { nearer, turned: yaw - page.state.yaw, chosen: page.state.chosen };
});

// A joint's row leads to where it is beyond its range, and to its plots.
await tab.evaluate(() => page.update({ clip: page.document.clips.findIndex((c) => c.tracks[1].beyond.length > 0), tab: "joints", frame: 0 }));
result.beyond = await tab.evaluate(() => page.document.clips[page.state.clip].tracks[1].beyond.sort((a, b) => b.degrees - a.degrees)[0]);
await tab.locator("#panel td button").first().click();
await tab.evaluate(() => page.draw());
result.beyond_shown = await tab.evaluate(() => ({ frame: page.state.frame, bone: page.state.chosen.bone }));
result.joint_plot = await tab.locator("#plots").getAttribute("aria-label");

// A finding leads to its frame and bone.
await tab.evaluate(() => page.update({ mode: page.document.actors.length > 1 ? "side" : "second", tab: "findings", frame: 0 }));
const finding = tab.locator("button.finding").first();
if (await finding.count() > 0) {
  await finding.click();
  const now = await state();
  const clip = await tab.evaluate(() => page.document.clips[page.state.clip]);
  result.finding = { frame: now.frame, frames: clip.measures.filter((m) => m.finding).map((m) => m.frame), focus: now.focus };
}

// A click on a bone chooses it and shows its chain.
const aim = expected.click;
await tab.evaluate(() => page.update({ chosen: null, focus: false, zoom: 2.5, pan: [0, 0, 0], frame: 0 }));
const at = await tab.evaluate(({ actor, bone }) => page.on_screen(actor, bone), aim);
const box = await tab.locator("#stage").boundingBox();
await tab.mouse.click(box.x + at.x, box.y + at.y);
result.clicked = (await state()).chosen;
result.tab = (await state()).tab;
result.chosen_rows = await tab.locator("tr.chosen").count();

// The address brings back what is seen.
await tab.evaluate(() => page.update({ frame: 7, yaw: 1.25 }));
await tab.waitForFunction(() => location.hash.includes("frame=7") && location.hash.includes("1.250"));
const hash = new URL(tab.url()).hash;
const second = await open(hash);
result.linked = await second.evaluate(() => ({ frame: page.state.frame, yaw: page.state.yaw, clip: page.document.clips[page.state.clip].name }));
result.linked_from = await tab.evaluate(() => page.document.clips[page.state.clip].name);
await second.close();

// The filter; texts of files are texts.
await tab.keyboard.press("/");
await tab.keyboard.type(expected.filter);
result.filtered = await tab.locator(".clip").count();
result.made_by_names = await tab.evaluate(() => document.querySelectorAll("img, b > script, a").length);

// Nothing is too small to read, and nothing sticks out, in two sizes.
result.smallest_text = 100;
result.sticks_out = 0;
for (const [width, height] of [[1280, 800], [1920, 1080]]) {
  await tab.setViewportSize({ width, height });
  await tab.evaluate(() => page.draw());
  const seen = await tab.evaluate(() => {
    let smallest = 100;
    for (const element of document.querySelectorAll("body *")) {
      const is_text = [...element.childNodes].some((node) => node.nodeType === 3 && node.textContent.trim() !== "");
      if (is_text && element.offsetParent !== null && !element.matches("script, style, noscript"))
        smallest = Math.min(smallest, parseFloat(getComputedStyle(element).fontSize));
    }
    return { smallest, out: Math.max(0, document.documentElement.scrollWidth - innerWidth) };
  });
  result.smallest_text = Math.min(result.smallest_text, seen.smallest);
  result.sticks_out = Math.max(result.sticks_out, seen.out);
}
result.unnamed_controls = await tab.evaluate(() => [...document.querySelectorAll("button, select, input")]
  .filter((e) => !e.textContent.trim() && !e.getAttribute("aria-label") && !e.closest("label")).length);
result.errors = errors;
await browser.close();
console.log(JSON.stringify(result));
