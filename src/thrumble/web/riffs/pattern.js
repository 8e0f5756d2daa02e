// Shows of a pattern's settings those it has; the riff itself comes from the server as it is
// chosen.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("pattern", () => ({
    why: "",
    noMutes: true,
    noBeats: true,
    noDegrees: true,
    init() {
      this.show();
    },
    show() {
      const form = this.$root;
      const { why, sets } = form.elements.pattern.selectedOptions[0].dataset;
      this.why = why;
      this.noMutes = sets !== "mutes";
      this.noBeats = sets !== "beats";
      this.noDegrees = form.elements.form.value !== "own";
    },
    keep() {
      document.getElementById("keep-made")?.requestSubmit();
    },
  }));
});
