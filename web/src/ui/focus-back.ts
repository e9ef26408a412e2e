/** What had the focus lately, the last at the end. */
const lately: HTMLElement[] = [];
const REMEMBERED = 12;

document.addEventListener("focusin", ({ target }) => {
  if (!(target instanceof HTMLElement)) return;
  lately.push(target);
  if (lately.length > REMEMBERED) lately.shift();
});

/**
 * As a card closes: the focus goes back to what opened it. Where that was an entry of a menu,
 * which is gone by then, it goes to what the menu hangs on.
 */
export function focusBack(event: Event): void {
  const card = event.target instanceof Node ? event.target : null;
  const back = lately.findLast(
    (element) =>
      element.isConnected && !card?.contains(element) && element.getClientRects().length > 0,
  );
  if (!back) return;
  event.preventDefault();
  back.focus();
}
