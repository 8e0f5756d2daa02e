import { onKey, onPedal, problem, send } from "../shared/site.js";

/** The session begins, or goes on, at the block that comes next. */
async function goOn(button) {
  try {
    const { href, stop } = await (await send(button.dataset.go)).json();
    if (href) location.assign(href);
    else problem(stop || "That's all for today. Play what you like.");
  } catch (error) { problem(error.message); }
}

// what is armed changes when the session has been put together
function play() {
  const session = document.getElementById("play-session");
  if (session) goOn(session);
  else document.getElementById("play-armed")?.click();
}
document.addEventListener("click", (event) => {
  const button = event.target.closest("#play-session");
  if (button) goOn(button);
});
onKey(" ", play);
onPedal("PageDown", play);
