// The shots page: opening, refusing, naming, putting aside and bringing back.
import assert from "node:assert/strict";
import { test } from "node:test";
import {
  card,
  copyOf,
  jpeg,
  open,
  openShot,
  picture,
  rested,
  serve,
  settled,
  upload,
  expectError,
} from "./lib.mjs";

let server;
let browser;
serve({ mode: "serve", options: ["--max-upload", "1"] }, (it) => ({ server, browser } = it));

const names = (page) => page.locator(".shot input.name").evaluateAll((all) => all.map((i) => i.value));

test("what is no photo is refused with a sentence, and the rest is opened", async () => {
  const page = await open(browser, server.url);
  expectError(page, 422);
  const good = await jpeg(page, 300, 200);
  const file = (name, buffer) => ({ name, mimeType: "image/jpeg", buffer });
  await upload(
    page,
    file("letter.jpg", Buffer.from("Dear Tidewatch Players")),
    file("half.jpg", good.subarray(0, good.length / 2)),
    file("huge.jpg", Buffer.alloc(2 << 20)),
    file("empty.jpg", Buffer.alloc(0)),
  );
  await page.getByText("letter.jpg: Pyrant cannot read this file").waitFor();
  await page.getByText("half.jpg: A part of this picture file is missing").waitFor();
  await page.getByText("huge.jpg: The file is larger than 1 MB").waitFor();
  await page.getByText("empty.jpg: The file is empty").waitFor();
  assert.deepEqual(await names(page), []);
  // One that is good beside one that is not is shown at once, and the refusal stays.
  await upload(page, file("note.jpg", Buffer.from("Dear")), file("Zero.jpg", good));
  await page.waitForFunction(() => document.querySelectorAll(".shot").length === 1);
  await page.getByText("note.jpg: Pyrant cannot read this file").waitFor();
  await upload(page, file("One.jpg", good), file("Two.jpg", good));
  await page.waitForFunction(() => document.querySelectorAll(".shot").length === 3);
  assert.deepEqual((await names(page)).sort(), ["One", "Two", "Zero"]);
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("photos can be dropped on the page", async () => {
  const page = await open(browser, server.url);
  const bytes = [...(await jpeg(page, 240, 160))];
  await page.evaluate((data) => {
    const carried = new DataTransfer();
    carried.items.add(new File([new Uint8Array(data)], "Dropped.jpg", { type: "image/jpeg" }));
    for (const kind of ["dragover", "drop"])
      document.body.dispatchEvent(
        new DragEvent(kind, { bubbles: true, cancelable: true, dataTransfer: carried }),
      );
  }, bytes);
  await page.waitForURL(/\/shots\/\w+/);
  await settled(page);
  assert.equal(await page.locator(".title").textContent(), "Dropped");
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a shot is renamed, duplicated, put aside, brought back and removed for good", async () => {
  const page = await open(browser, server.url);
  const input = card(page, "Dropped").locator("input.name");
  await input.fill("Quay at night");
  await input.press("Enter");
  await card(page, "Quay at night").waitFor();
  await page.reload();
  assert.ok((await names(page)).includes("Quay at night"), "the new name is not kept");
  await card(page, "Quay at night").getByRole("button", { name: "Duplicate" }).click();
  await card(page, "Quay at night copy").waitFor();
  await card(page, "Quay at night copy").getByRole("button", { name: "Hide" }).click();
  await card(page, "Quay at night copy").waitFor({ state: "detached" });
  await page.getByText("Show hidden (1)").click();
  await page.getByRole("button", { name: "Show" }).click();
  await card(page, "Quay at night copy").waitFor();
  await card(page, "Quay at night copy").getByRole("button", { name: "Hide" }).click();
  await page.getByText("Show hidden (1)").click();
  const remove = page.locator("form[data-confirm] button");
  await remove.click();
  assert.equal(await remove.textContent(), "Delete permanently?", "removing does not ask");
  await remove.click();
  await page.getByText("Hide", { exact: true }).first().waitFor();
  await page.waitForFunction(() => !document.body.textContent.includes("Quay at night copy"));
  await page.waitForFunction(() => !document.querySelector(".aside"));
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("what fails on the shots page is said, kept and tried again", async () => {
  const page = await open(browser, server.url);
  const first = page.locator(".shot").first();
  const input = first.locator("input.name");
  const old = await input.inputValue();
  await page.route("**/name", (r) => r.abort());
  await input.fill("Harbour wall");
  await input.press("Enter");
  await page.getByText("Pyrant does not answer").waitFor();
  assert.equal(await input.inputValue(), "Harbour wall", "what was typed is gone");
  assert.ok(await input.evaluate((i) => i.classList.contains("unsaved")));
  await page.unroute("**/name");
  await page.getByRole("button", { name: "Try again" }).click();
  await page.waitForFunction(() => !document.querySelector(".unsaved"));
  await page.reload();
  assert.ok((await names(page)).includes("Harbour wall") && !(await names(page)).includes(old));
  // A full disk, and an answer that is not Pyrant's.
  const full = { title: "Disk full", error: "The disk is full, so this could not be saved." };
  await page.route("**/duplicate", (r) => r.fulfill({ status: 507, json: full }));
  const count = (await names(page)).length;
  await page.locator(".shot").first().getByRole("button", { name: "Duplicate" }).click();
  await page.getByText("The disk is full").waitFor();
  await page.unroute("**/duplicate");
  await page.getByRole("button", { name: "Try again" }).click();
  await page.waitForFunction((n) => document.querySelectorAll(".shot").length === n, count + 1);
  // While its answer is awaited the shots change elsewhere.
  let answer;
  const asked = new Promise((go) => (answer = go));
  await page.route("**/aside", async (r) => {
    await asked;
    await r.fulfill({ status: 502, body: "<html>elsewhere</html>" });
  });
  await page.locator(".shot").first().getByRole("button", { name: "Hide" }).click();
  const read = page.waitForResponse((r) => r.url() === `${server.url}/`);
  await copyOf(page, server.url, "Harbour wall");
  await (await read).finished();
  answer();
  await page.getByText("Unexpected answer 502").waitFor();
  await page.waitForFunction((n) => document.querySelectorAll(".shot").length === n, count + 2);
  await page.context().close();
});

test("the demo is brought, lit and worth looking at", async () => {
  const page = await open(browser, server.url);
  await page.getByRole("button", { name: "Load demo" }).click();
  await openShot(page, "Tidewatch quay");
  const lit = await picture(page);
  await page.locator('[data-show="plain"]').click();
  await rested(page);
  assert.notEqual(await picture(page), lit);
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("an address that leads nowhere says so", async () => {
  const page = await open(browser, `${server.url}/shots/nowhere`);
  await page.getByRole("heading", { name: "No such shot" }).waitFor();
  await page.getByRole("link", { name: "All shots" }).click();
  await page.locator("#grid").waitFor();
  await page.context().close();
});
