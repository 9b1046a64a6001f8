// On paper all stands open that a page folds away, and as it was again afterwards.
const PAPER = "details.verdict, details.paper, details.fault-one, details.corals-change:not(td *)";
window.addEventListener("beforeprint", () => {
  for (const fold of document.querySelectorAll(PAPER)) {
    Object.assign(fold.dataset, { group: fold.getAttribute("name") || "", was: fold.open ? "open" : "" });
    fold.removeAttribute("name");
    fold.open = true;
  }
});
window.addEventListener("afterprint", () => {
  for (const fold of document.querySelectorAll(PAPER)) {
    if (!("was" in fold.dataset)) continue;
    fold.open = fold.dataset.was === "open";
    if (fold.dataset.group) fold.setAttribute("name", fold.dataset.group);
  }
});
