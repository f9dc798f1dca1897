// Linen or lamp: remembered, and set before anything is painted.
const root = document.documentElement;
const key = "blendseam-light";

function show(lamp: boolean): void {
  root.classList.toggle("lamp", lamp);
  for (const b of document.querySelectorAll("[data-light]")) b.textContent = lamp ? "Linen" : "Lamp";
  document.dispatchEvent(new CustomEvent("light"));
}

export function switchLight(): void {
  const lamp = !root.classList.contains("lamp");
  localStorage.setItem(key, lamp ? "lamp" : "linen");
  show(lamp);
}

const asked = localStorage.getItem(key);
show(asked ? asked === "lamp" : matchMedia("(prefers-color-scheme: dark)").matches);
document.addEventListener("DOMContentLoaded", () => show(root.classList.contains("lamp")));
document.addEventListener("click", (e) => {
  if ((e.target as Element).closest?.("[data-light]")) switchLight();
});
