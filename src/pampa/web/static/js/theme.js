// The theme is chosen before anything is drawn: the remembered one, or the system's.
// A plain script on purpose: a module would run after the first paint.

(() => {
  const remembered = localStorage.getItem("pampa-theme");
  const dark = remembered ? remembered === "night" : matchMedia("(prefers-color-scheme: dark)").matches;
  document.documentElement.dataset.bsTheme = dark ? "dark" : "light";
})();
