// Shows of a pattern's settings those it has; the riff itself comes from the server as it is
// chosen.
const $ = (id) => document.getElementById(id);
const pattern = $("pattern");

function show() {
  const { why, sets } = pattern.selectedOptions[0].dataset;
  $("why").textContent = why;
  $("mutes").hidden = sets !== "mutes";
  $("beats").hidden = sets !== "beats";
  $("degrees").hidden = $("form").value !== "own";
}

pattern.addEventListener("change", show);
$("form").addEventListener("change", show);
$("pattern-form").addEventListener("submit", () => $("keep-made")?.requestSubmit());
show();
