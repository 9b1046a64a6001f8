import { focusKey } from "./focus.js";
import { readPage } from "./talk.js";

// Draw the parts of this page that change anew, and leave the rest, with the focus, as it is.
export async function refresh() {
  const fresh = await readPage(window.location.href);
  if (!fresh) {
    window.location.reload();
    return;
  }
  const focus = focusKey(document.body);
  for (const part of document.querySelectorAll("[data-live]")) {
    const now = fresh.querySelector(`[data-live="${part.dataset.live}"]`);
    if (now) part.innerHTML = now.innerHTML;
  }
  if (focus) document.querySelector(focus)?.focus({ preventScroll: true });
}
