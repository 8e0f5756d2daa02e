// The sheet is printed by the browser, on whatever paper it has.
document.getElementById("print").addEventListener("click", () => window.print());
