// Before the page paints: theme and text size as chosen in this browser; where the player is.
const here = {}; // what was chosen on this page: a private window keeps nothing else
const displayed = (name) => {
  if (name in here) return here[name];
  try {
    return localStorage.getItem(name) ?? "";
  } catch {
    return "";
  }
};
const systemDark = matchMedia("(prefers-color-scheme: dark)");

/** Shows the page as it was chosen, or as the system has it. */
function showAsChosen() {
  const theme = displayed("theme") || (systemDark.matches ? "dark" : "light");
  document.documentElement.dataset.bsTheme = theme;
  document.documentElement.dataset.size = displayed("size");
}
showAsChosen();
systemDark.addEventListener("change", showAsChosen);
document.addEventListener("display-chosen", ({ detail: { name, value } }) => {
  here[name] = value;
  showAsChosen();
});

// the player's own day begins when it does where they are
const { timeZone } = Intl.DateTimeFormat().resolvedOptions();
// biome-ignore lint/suspicious/noDocumentCookie: the other call is not in every browser yet
document.cookie = `zone=${encodeURIComponent(timeZone)}; path=/; max-age=34560000; samesite=strict`;
