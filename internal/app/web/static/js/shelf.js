// The shots page: photos opened by drop or file chooser, with progress.
import { told } from "./ask.js";
import { onEvent } from "./events.js";
import "./fail.js";
import "./jobs.js";

const form = document.getElementById("upload");
const input = document.getElementById("photo");
const list = document.getElementById("uploads");
const drop = document.getElementById("drop");

// uploads are told how far their files are read, by the names that they came with.
const uploads = new Map();
onEvent("job", (j) => {
  if (j.state === "working") uploads.get(j.for)?.(j);
});

function open(file) {
  const row = document.createElement("div");
  row.className = "row-btns hstack";
  const name = document.createElement("span");
  name.textContent = file.name;
  const bar = document.createElement("progress");
  bar.className = "bar flex-fill";
  bar.max = 1;
  bar.value = 0;
  const button = document.createElement("button");
  button.type = "button";
  button.className = "btn btn-sm btn-quiet";
  button.textContent = "Cancel";
  row.append(name, bar, button);
  list.append(row);

  const fail = (text) => {
    const word = document.createElement("b");
    word.className = "warning";
    word.textContent = "Not opened";
    name.replaceChildren(word, ` ${file.name}: ${text}`);
    bar.remove();
    button.textContent = "Close";
    button.onclick = () => row.remove();
  };
  if (file.size > Number(form.dataset.max)) {
    fail(`The file is larger than ${Math.round(form.dataset.max / 1048576)} MB. Make it smaller first.`);
    return Promise.resolve(null);
  }
  return new Promise((done) => {
    const xhr = new XMLHttpRequest();
    const id = Math.random().toString(36).slice(2) + Date.now().toString(36);
    // When all is sent, the job tells how far it is read.
    uploads.set(id, (j) => {
      if (xhr.readyState === 4 || !bar.isConnected) return;
      name.textContent = `${file.name}: ${j.stage}`;
      if (j.share) bar.value = j.share;
    });
    xhr.open("POST", form.dataset.url);
    xhr.setRequestHeader("X-CSRF-Token", form.dataset.csrf);
    xhr.setRequestHeader("X-Upload", id);
    xhr.upload.onprogress = (e) => {
      bar.value = e.loaded / e.total;
      if (e.loaded === e.total) {
        name.textContent = `${file.name}: reading the picture`;
        bar.removeAttribute("value");
      }
    };
    xhr.onloadend = () => uploads.delete(id);
    xhr.onload = () => {
      if (xhr.status === 201) {
        row.remove();
        done(JSON.parse(xhr.responseText).url);
      } else {
        fail(told(xhr.status, xhr.responseText).text);
        done(null);
      }
    };
    xhr.onerror = () => {
      fail(told(0, "").text);
      done(null);
    };
    xhr.onabort = () => {
      row.remove();
      done(null);
    };
    button.onclick = () => xhr.abort();
    const body = new FormData();
    body.append("photo", file);
    xhr.send(body);
  });
}

let stale = false; // the list must be reloaded after the request in flight

// regrid reloads the list of shots and keeps the rows of failed uploads. While a request of a shot is
// in flight it waits, because the message of a failed request belongs to the element that sent it.
async function regrid() {
  const page = await fetch("/").then((r) => r.text());
  const fresh = new DOMParser().parseFromString(page, "text/html").getElementById("shelf");
  stale = Boolean(document.querySelector("#shelf .htmx-request"));
  if (stale) return;
  document.getElementById("shelf").replaceWith(fresh);
  window.htmx.process(fresh);
}

let underway = 0; // drops of files that are being opened

async function openAll(files) {
  const urls = [];
  underway++;
  for (const f of files) urls.push(await open(f));
  underway--;
  const good = urls.filter(Boolean);
  // To leave the page would abort what is still on its way.
  if (underway) {
    if (good.length) await regrid();
  } else if (files.length === 1 && good.length === 1) location.href = good[0];
  else if (good.length === files.length && !list.children.length) location.reload();
  else if (good.length) await regrid();
}

// Shots that come, go or change elsewhere are shown as they are.
const typing = () => document.activeElement?.matches("input.name");
onEvent("shelf", () => !underway && !typing() && regrid());
onEvent("reset", () => !underway && !typing() && regrid());
document.addEventListener("htmx:afterRequest", () => stale && regrid());
// A thumbnail is made when it is asked for: once the work on its shot rests, and where somebody looks. All pages are told
// when it is there.
const rests = new Map();
function picture({ shot, version }) {
  const img = document.querySelector(`#shot-${CSS.escape(shot)} img`);
  if (img) img.src = `/shots/${shot}/preview.jpg?v=${version}`;
}
onEvent("revision", (e) => {
  clearTimeout(rests.get(e.shot));
  rests.set(
    e.shot,
    setTimeout(() => document.hidden || picture(e), 2000),
  );
});
onEvent("thumbnail", (e) => {
  clearTimeout(rests.get(e.shot));
  picture(e);
});

input.addEventListener("change", () => {
  openAll([...input.files]);
  input.value = "";
});
document.addEventListener("click", (e) => {
  if (e.target.closest("#choose, [data-choose-photo]")) input.click();
});

const withFiles = (e) => e.dataTransfer?.types.includes("Files");
document.addEventListener("dragover", (e) => {
  if (!withFiles(e)) return;
  e.preventDefault();
  drop.hidden = false;
});
document.addEventListener("dragleave", (e) => {
  if (!e.relatedTarget) drop.hidden = true;
});
document.addEventListener("drop", (e) => {
  if (!withFiles(e)) return;
  e.preventDefault();
  drop.hidden = true;
  openAll([...e.dataTransfer.files]);
});

// What cannot be taken back asks once more, in the button itself.
document.addEventListener("htmx:confirm", (e) => {
  const ask = e.detail.elt.dataset.confirm;
  const button = e.detail.elt.querySelector("button");
  if (!ask || button.dataset.sure) return;
  e.preventDefault();
  button.dataset.sure = "1";
  button.textContent = ask;
});
