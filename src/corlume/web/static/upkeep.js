// Sheets of the log that are printed.
const printer = () => ({
  print() {
    window.print();
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("printer", printer);
});
