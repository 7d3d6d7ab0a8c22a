// A magnifier beside the pointer: the photo itself, several times as large as it is on the screen,
// with the lines that are drawn over it. What it shows comes as squares of the photo, which are
// kept.
import { nearby } from "./frames.js";
import { keep, kept, key } from "./local.js";
import { on, shot } from "./store.js";
import { onScreen, toPhoto, toScreen, turning } from "./view.js";

const stage = document.getElementById("stage");
const canvas = document.getElementById("loupe");
const ctx = canvas.getContext("2d");
const overlay = document.getElementById("overlay");
const side = 148; // on the screen
const square = 256; // of the photo
const most = 48; // squares that are kept
const long = Math.max(shot.width, shot.height);

let shown = kept(key("magnifier")) === "1";
let pointer = null; // { x, y } on the page, while it is over the photo
const squares = new Map(); // "x y" to a picture, or null while it is on its way

async function fetchSquare(name, x, y) {
  squares.set(name, null);
  const [w, h] = [Math.min(square, shot.width - x), Math.min(square, shot.height - y)];
  const as = nearby ? "pixels" : "jpeg";
  try {
    const q = new URLSearchParams({ long, x, y, w, h, as, page: "magnifier", v: 0, plain: 1 });
    const got = await fetch(`/shots/${shot.id}/frame?${q}`);
    if (!got.ok) throw new Error(got.statusText);
    const image = nearby
      ? await createImageBitmap(new ImageData(new Uint8ClampedArray(await got.arrayBuffer()), w, h))
      : await createImageBitmap(await got.blob());
    squares.set(name, image);
    while (squares.size > most) {
      const [old, gone] = squares.entries().next().value;
      gone?.close();
      squares.delete(old);
    }
    draw();
  } catch {
    squares.delete(name); // the next move asks again
  }
}

export function draw() {
  canvas.hidden = !shown || !pointer || !stage.classList.contains("close-work");
  if (canvas.hidden) return;
  const box = stage.getBoundingClientRect();
  const dpr = window.devicePixelRatio || 1;
  const [px, py] = toPhoto(pointer.x, pointer.y);
  const zoom = onScreen(1);
  const k = Math.max(3 * zoom, 2 / dpr) * dpr;
  const n = Math.round(side * dpr);
  if (canvas.width !== n) canvas.width = canvas.height = n;
  ctx.fillStyle = "#0f0f0e";
  ctx.fillRect(0, 0, n, n);
  ctx.save();
  ctx.translate(n / 2, n / 2);
  ctx.transform(...turning(), 0, 0); // as the picture is turned
  ctx.translate(-px * k, -py * k);
  ctx.imageSmoothingEnabled = k < 2;
  const half = (n / 2 / k) * Math.SQRT2;
  const grid = (v) => Math.floor(v / square) * square;
  for (let y = Math.max(grid(py - half), 0); y < Math.min(py + half, shot.height); y += square)
    for (let x = Math.max(grid(px - half), 0); x < Math.min(px + half, shot.width); x += square) {
      const name = `${x} ${y}`;
      const image = squares.get(name);
      if (image) ctx.drawImage(image, x * k, y * k, image.width * k, image.height * k);
      else if (image === undefined) fetchSquare(name, x, y);
    }
  ctx.restore();
  // The lines lie in pixels of the screen.
  const [ox, oy] = toScreen(px, py);
  const grown = k / zoom;
  ctx.save();
  ctx.setTransform(grown, 0, 0, grown, n / 2 - ox * grown, n / 2 - oy * grown);
  for (const [name, colour, width] of [
    ["under", "rgb(0 0 0 / 55%)", 3],
    ["over", "#f2eee2", 1.2],
  ]) {
    ctx.strokeStyle = colour;
    ctx.lineWidth = (width * dpr) / grown;
    for (const el of overlay.querySelectorAll(`path.${name}`)) ctx.stroke(new Path2D(el.getAttribute("d")));
  }
  ctx.restore();
  // Where the pointer is.
  ctx.strokeStyle = "rgb(242 238 226 / 85%)";
  ctx.lineWidth = 1;
  ctx.beginPath();
  for (const [dx, dy] of [
    [1, 0],
    [-1, 0],
    [0, 1],
    [0, -1],
  ]) {
    ctx.moveTo(n / 2 + dx * 5 * dpr, n / 2 + dy * 5 * dpr);
    ctx.lineTo(n / 2 + dx * 14 * dpr, n / 2 + dy * 14 * dpr);
  }
  ctx.stroke();
  // Above and to the right of the pointer, or where there is room.
  const [x, y] = [pointer.x - box.left, pointer.y - box.top];
  const right = x + 30 + side < box.width;
  const above = y - 30 - side > 0;
  canvas.style.left = `${right ? x + 30 : x - 30 - side}px`;
  canvas.style.top = `${above ? y - 30 - side : y + 30}px`;
}

// toggle shows the magnifier, or not.
export function toggle() {
  shown = !shown;
  keep(key("magnifier"), shown ? "1" : "");
  tell();
  draw();
}

function tell() {
  const box = document.getElementById("magnifier");
  if (box) box.checked = shown;
}

document.addEventListener("change", (e) => e.target.id === "magnifier" && toggle());
stage.addEventListener("pointermove", (e) => {
  pointer = { x: e.clientX, y: e.clientY };
  draw();
});
stage.addEventListener("pointerleave", () => {
  pointer = null;
  draw();
});
on("change", tell);
tell();
