import { onKey, onPedal, problem, send } from "../shared/site.js";

/** The session begins, or goes on, at the block that comes next. */
async function goOn(button) {
  try {
    const { href, stop } = await (await send(button.dataset.go)).json();
    if (href) location.assign(href);
    else problem(stop || "That's all for today. Play what you like.");
  } catch (error) {
    problem(error.message);
  }
}

// space pressed before the first plan of the day has said what is up next
let early = false;
function play() {
  const session = document.getElementById("play-session");
  const next = document.getElementById("play-up-next");
  if (session) goOn(session);
  else if (next) next.click();
  else early = document.getElementById("up-next") !== null;
}
document.addEventListener("htmx:load", () => {
  if (!early || document.querySelector("#up-next.waiting")) return;
  early = false;
  play();
});
document.addEventListener("click", (event) => {
  const button = event.target.closest("#play-session");
  if (button) goOn(button);
});
onKey(" ", play);
onPedal("PageDown", play);
