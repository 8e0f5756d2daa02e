// Keys of the neck: routes by number, chords one by one, a chord locked; and the eye stays where it
// was when the page comes again.
import { onKey, onPedal } from "../shared/site.js";

const follow = (link) => {
  if (link) location.assign(link.href);
};
const routes = [...document.querySelectorAll(".route-link")];
routes.forEach((link, k) => {
  onKey(String(k + 1), () => follow(link));
});

const rows = [...document.querySelectorAll(".chords tbody tr")];
const here = rows.findIndex((row) => row.classList.contains("here"));
const chord = (step) => follow(rows[here + step]?.querySelector(".chord-link"));
onKey("ArrowRight", () => chord(1));
onKey("ArrowLeft", () => chord(-1));
onKey("l", () => follow(rows[here]?.querySelector(".lock")));
const play = () => follow(document.getElementById("play-riff"));
onKey(" ", play);
onPedal("PageDown", play);

const form = document.getElementById("wishes");
form.addEventListener("change", () => form.requestSubmit());
