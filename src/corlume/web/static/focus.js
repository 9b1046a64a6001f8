// What has the focus keeps it, over a part of the page drawn again, an undo and a reload.

// A selector that finds what has the focus again after what it stands in was drawn anew, or null.
export function focusKey(within) {
  const active = document.activeElement;
  if (!active || active === document.body || !within.contains(active)) return null;
  if (active.closest("[popover]")) return null;
  const { focus, fixture, box, coral, field, ids } = active.dataset;
  if (focus) return `[data-focus="${focus}"]`;
  if (fixture) return `.fixture[data-fixture="${fixture}"][tabindex]`;
  if (box) return `[data-box="${box}"][tabindex]`;
  if (coral && active.matches("[tabindex]")) return `.coral[data-coral="${coral}"][tabindex]`;
  if (active.matches(".probe")) return ".probe[tabindex]";
  if (active.matches(".dimension")) return `.dimension[data-field="${field}"][data-ids="${ids}"]`;
  if (active.id) return `#${CSS.escape(active.id)}`;
  const step = active.closest("[data-step]");
  return step ? `[data-step="${step.dataset.step}"] button` : null;
}

// An undo or a reload leaves the focus where it was; a page that asks for another place gets it.
const PLACE = `corlume-focus-${window.location.pathname}`;
window.addEventListener("pagehide", () => {
  const key = focusKey(document.body);
  if (key) sessionStorage.setItem(PLACE, key);
});
window.addEventListener("load", () => {
  const key = sessionStorage.getItem(PLACE);
  sessionStorage.removeItem(PLACE);
  const free = document.activeElement === document.body && !window.location.hash && !document.querySelector("[autofocus]");
  if (key && free) document.querySelector(key)?.focus({ preventScroll: true });
});
