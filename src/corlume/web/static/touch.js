// A finger on something that can be dragged drags it; anywhere else it scrolls the page.
export function holdTouch(svg, what) {
  const hold = (event) => event.target.closest(what) && event.preventDefault();
  svg.addEventListener("touchstart", hold, { passive: false });
}
