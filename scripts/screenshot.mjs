// How a screenshot is kept: as a small PNG with a palette, and renewed only if it changed visibly.
// Run by itself, it makes the screenshots that are there already small:
//
//	node scripts/screenshot.mjs docs/screenshots/*.png
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import pixelmatch from "pixelmatch";
import sharp from "sharp";

const maxBytes = 250_000; // of a file; scripts/guards refuses more
const visible = 0.1; // how far colours are apart that the eye tells apart, see pixelmatch
const maxChanged = 200; // pixels that may differ visibly before a file is renewed

// small gives a PNG with a palette, as good as its size allows.
export async function small(png) {
  for (let quality = 100; quality >= 20; quality -= 10) {
    const out = await sharp(png)
      .png({ palette: true, quality, dither: 0, effort: 10, compressionLevel: 9 })
      .toBuffer();
    if (out.length <= maxBytes) return out;
  }
  throw new Error(`a screenshot takes more than ${maxBytes} bytes at the lowest quality`);
}

const pixels = async (png) => await sharp(png).ensureAlpha().raw().toBuffer({ resolveWithObject: true });

// changed gives how many pixels of two PNG files differ visibly; all, if their sizes do.
export async function changed(a, b) {
  const [p, q] = [await pixels(a), await pixels(b)];
  const { width, height } = p.info;
  if (width !== q.info.width || height !== q.info.height) return width * height;
  return pixelmatch(p.data, q.data, null, width, height, { threshold: visible });
}

// keep writes a screenshot, unless the file that is there shows the same, and gives whether it did.
export async function keep(path, png) {
  const now = await small(png);
  if (existsSync(path) && (await changed(readFileSync(path), now)) <= maxChanged) return false;
  writeFileSync(path, now);
  return true;
}

if (process.argv[1] === import.meta.filename)
  for (const path of process.argv.slice(2)) {
    const was = readFileSync(path);
    if (was.length <= maxBytes) continue;
    const now = await small(was);
    writeFileSync(path, now);
    console.log(
      `${path}: ${was.length} to ${now.length} bytes, ${await changed(was, now)} pixels differ visibly`,
    );
  }
