import { onKey, onPedal } from "../shared/site.js";

// what is armed changes when the session has been put together
const play = () => document.getElementById("play-armed")?.click();
onKey(" ", play);
onPedal("PageDown", play);
