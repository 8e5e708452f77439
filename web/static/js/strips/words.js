// The line below the table: the active cell in words.

const words = document.getElementById("cell-here");

export function tell(text) {
  words.textContent = text;
}
