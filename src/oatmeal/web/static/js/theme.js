// Oat (light) or Rye (dark), before anything is painted: as the photographer chose, or as the system says.
(() => {
  const dark = window.matchMedia("(prefers-color-scheme: dark)");
  const apply = () => {
    const chosen = localStorage.getItem("oatmeal-theme");
    document.documentElement.dataset.theme = chosen || (dark.matches ? "rye" : "oat");
  };
  apply();
  dark.addEventListener("change", apply);
  window.addEventListener("storage", apply);
  window.addEventListener("theme", apply);
})();
