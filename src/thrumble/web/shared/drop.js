// A recording dropped anywhere on a riff's page is uploaded as a take of it.
import { problem } from "./site.js";

const $ = (id) => document.getElementById(id);
const dialog = $("upload");
const target = $("drop-here");
let inside = 0; // elements that the file is over

const carriesFile = (event) => [...(event.dataTransfer?.types ?? [])].includes("Files");

function show(on) {
  target.hidden = !on;
}

addEventListener("dragenter", (event) => {
  if (!carriesFile(event)) return;
  inside++;
  show(true);
});
addEventListener("dragleave", (event) => {
  if (!carriesFile(event)) return;
  inside = Math.max(0, inside - 1);
  show(inside > 0);
});
addEventListener("dragover", (event) => {
  if (carriesFile(event)) event.preventDefault();
});
addEventListener("drop", (event) => {
  if (!carriesFile(event)) return;
  event.preventDefault();
  inside = 0;
  show(false);
  const { files } = event.dataTransfer;
  if (files.length !== 1) {
    problem("Drop one recording at a time.");
    return;
  }
  problem("");
  $("upload-file").files = files;
  if (!dialog.open) dialog.showModal();
  $("upload-form").requestSubmit();
});

$("upload-button")?.addEventListener("click", () => dialog.showModal());
$("upload-close").addEventListener("click", () => dialog.close());
// what the server says is told on the page
document.addEventListener("htmx:responseError", (event) => {
  if (event.detail.elt.id === "upload-form") dialog.close();
});
