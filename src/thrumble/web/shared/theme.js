// Sets the theme before the page paints: the player's choice, else the system's.
const chosen = (() => { try { return localStorage.getItem("theme"); } catch { return null; } })();
const dark = chosen ? chosen === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
document.documentElement.dataset.bsTheme = dark ? "dark" : "light";
