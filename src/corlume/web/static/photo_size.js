// A photo that is too big is told by its field, before anything is sent: what was typed stays.
const MOST_MB = 15;

const tooBig = (input) => [...(input.files || [])].find((file) => file.size > MOST_MB * 1e6);

function tell(input) {
  const file = tooBig(input);
  input.parentElement.querySelector("[data-too-big]")?.remove();
  if (!file) return true;
  const fault = document.createElement("p");
  fault.className = "fault";
  fault.dataset.tooBig = "";
  fault.setAttribute("role", "alert");
  fault.textContent = `The photo is too big: ${(file.size / 1e6).toFixed(1)} MB, at most ${MOST_MB} MB. Nothing was sent.`;
  input.insertAdjacentElement("afterend", fault);
  return false;
}

const PHOTOS = 'input[type=file][accept*="image"]';
document.addEventListener("change", (event) => {
  if (event.target.matches(PHOTOS)) tell(event.target);
});
document.addEventListener("submit", (event) => {
  const bad = [...event.target.querySelectorAll(PHOTOS)].filter((input) => !tell(input));
  if (!bad.length) return;
  event.preventDefault();
  bad[0].focus();
});
