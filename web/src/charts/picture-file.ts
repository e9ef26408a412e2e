const DRAWN = [
  "fill", "stroke", "stroke-width", "stroke-dasharray", "opacity", "font-size", "font-weight",
  "font-family", "text-anchor",
] as const; // prettier-ignore
const TWICE = 2;

const NAMESPACE = "http://www.w3.org/2000/svg";

/** The pictures within an element as one of its own, on white, each where it stands. */
export function standalone(frame: Element): string {
  const { left, top, width, height } = frame.getBoundingClientRect();
  const whole = document.createElementNS(NAMESPACE, "svg");
  const size = { width: width.toFixed(0), height: height.toFixed(0) };
  const ground = document.createElementNS(NAMESPACE, "rect");
  for (const [name, value] of Object.entries(size)) {
    whole.setAttribute(name, value);
    ground.setAttribute(name, value);
  }
  whole.setAttribute("viewBox", `0 0 ${size.width} ${size.height}`);
  ground.setAttribute("fill", "#ffffff");
  whole.append(ground);
  for (const picture of frame.querySelectorAll("svg")) {
    const box = picture.getBoundingClientRect();
    const copy = written(picture);
    copy.setAttribute("x", (box.left - left).toFixed(1));
    copy.setAttribute("y", (box.top - top).toFixed(1));
    whole.append(copy);
  }
  return new XMLSerializer().serializeToString(whole);
}

/** A copy of a picture with colours and letters written into it. */
function written(picture: SVGSVGElement): SVGSVGElement {
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
  copy.setAttribute("width", String(width));
  copy.setAttribute("height", String(height));
  if (!copy.hasAttribute("viewBox"))
    copy.setAttribute("viewBox", `0 0 ${width.toFixed(0)} ${height.toFixed(0)}`);
  copy.removeAttribute("class");
  return copy;
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
