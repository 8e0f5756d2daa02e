import { onKey } from "../shared/site.js";

onKey("n", () => document.getElementById("new-riff").click());
onKey("m", () => document.getElementById("from-pattern").click());
// What another file was asked for says nothing about this one.
document.getElementById("import-file").addEventListener(
  "change",
  () => {
    document.getElementById("import-asks").replaceChildren();
  },
  { capture: true },
);
