// A sheet that shows what others change, too, is drawn again when something has happened, on whichever tablet; not
// while somebody is at it, or has typed or ticked something that is not sent yet: they say when.
const changed = (el) => (el.matches("select") ? [...el.options].some((o) => o.selected !== o.defaultSelected && [...el.options].some((p) => p.defaultSelected))
  : el.matches("[type=checkbox], [type=radio]") ? el.checked !== el.defaultChecked : el.type !== "hidden" && el.value !== el.defaultValue);
const busy = () => document.querySelector("svg.moving") !== null || document.activeElement.closest?.("main form, main svg") != null
  || [...document.querySelectorAll("main input, main textarea, main select")].some(changed);
document.querySelectorAll("[data-fresh]").forEach((el) => {
  let from;
  const redraw = () => location.reload();
  const watch = () => {
    from = new EventSource(el.dataset.fresh);
    from.addEventListener("changed", () => {
      from.close();
      if (!busy()) { redraw(); return; }
      document.querySelector("#redraw").hidden = false;
      document.addEventListener("focusout", () => setTimeout(() => { if (!busy()) redraw(); }));
    });
  };
  watch();
  document.addEventListener("submit", () => from.close()); // what is sent from here leads to a new sheet
  document.addEventListener("htmx:after:swap", () => { if (from.readyState === EventSource.CLOSED) watch(); }); // it was refused
  addEventListener("pagehide", () => from.close());
  document.addEventListener("visibilitychange", () => { // a browser keeps few connections open: sheets that nobody sees hold none
    if (document.hidden) from.close();
    else if (from.readyState === EventSource.CLOSED && document.querySelector("#redraw").hidden) watch();
  });
});
