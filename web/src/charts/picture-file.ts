const DRAWN = [
  "fill", "stroke", "stroke-width", "stroke-dasharray", "opacity", "font-size", "font-weight",
  "font-family", "text-anchor",
] as const; // prettier-ignore
const TWICE = 2;

/** A picture on its own: colours and letters written into it, on white. */
export function standalone(picture: SVGSVGElement): string {
  const { width, height } = picture.getBoundingClientRect();
  const copy = picture.cloneNode(true) as SVGSVGElement;
  const parts = [...copy.querySelectorAll("*")];
  [...picture.querySelectorAll("*")].forEach((part, place) => {
    const look = getComputedStyle(part);
    const mine = parts[place];
    if (!(mine instanceof SVGElement)) return;
    for (const name of DRAWN) mine.style.setProperty(name, look.getPropertyValue(name));
    for (const name of ["tabindex", "role", "class", "aria-pressed", "data-reached"])
      mine.removeAttribute(name);
  });
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("width", String(width));
  copy.setAttribute("height", String(height));
  if (!copy.hasAttribute("viewBox"))
    copy.setAttribute("viewBox", `0 0 ${width.toFixed(0)} ${height.toFixed(0)}`);
  copy.removeAttribute("class");
  const box = copy.viewBox.baseVal;
  const ground = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  for (const [name, value] of Object.entries({
    x: box.x,
    y: box.y,
    width: box.width,
    height: box.height,
  }))
    ground.setAttribute(name, String(value));
  ground.setAttribute("fill", "#ffffff");
  copy.prepend(ground);
  return new XMLSerializer().serializeToString(copy);
}

/** The picture as PNG, twice as fine as on the screen. */
export async function asPng(svg: string): Promise<Blob> {
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  await image.decode();
  const canvas = document.createElement("canvas");
  canvas.width = TWICE * image.width;
  canvas.height = TWICE * image.height;
  canvas.getContext("2d")?.drawImage(image, 0, 0, canvas.width, canvas.height);
  return new Promise((done, failed) =>
    canvas.toBlob((blob) => {
      if (blob) done(blob);
      else failed(new Error("This browser cannot write the picture."));
    }, "image/png"),
  );
}
