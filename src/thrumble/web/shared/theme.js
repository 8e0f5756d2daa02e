// Before the page paints: the theme that the player chose, else the system's; where the player is.
const chosen = (() => {
  try {
    return localStorage.getItem("theme");
  } catch {
    return null;
  }
})();
const dark = chosen ? chosen === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
document.documentElement.dataset.bsTheme = dark ? "dark" : "light";
// the player's own day begins when it does where they are
const { timeZone } = Intl.DateTimeFormat().resolvedOptions();
// biome-ignore lint/suspicious/noDocumentCookie: the other call is not in every browser yet
document.cookie = `zone=${encodeURIComponent(timeZone)}; path=/; max-age=34560000; samesite=strict`;
