import type { Page } from './browser';

/**
 * What can be pressed and is smaller than so many pixels, one line each. Excepted as in WCAG 2.2, 2.5.8: links within
 * text, targets that a circle of that size around keeps clear of all others, and those with an equivalent elsewhere, as
 * cables and sockets of the diagram have on the device's card.
 */
export function smallTargets({ driver }: Page, least: number): Promise<string[]> {
  return driver.executeScript<string[]>(FIND, least);
}

const FIND = `
  const [least] = arguments;
  const kinds = 'a[href], button, input, select, textarea, summary, [role=tab], [role=button], [role=slider], [role=switch]';
  const boxOf = (one) => {
    const label = one.matches('input') && one.closest('label');
    const own = one.getBoundingClientRect();
    const around = label ? label.getBoundingClientRect() : own;
    return around.width * around.height > own.width * own.height ? around : own;
  };
  const isShown = (one) => one.checkVisibility({ visibilityProperty: true }) && !one.closest('.sr-only') && !one.closest('[inert]');
  const all = [...document.querySelectorAll(kinds)]
    .filter((one) => isShown(one) && !one.matches('.react-flow__handle, .react-flow__edge, :disabled'))
    .map((one) => ({ one, box: boxOf(one) }))
    .filter(({ box }) => box.width > 1 && box.height > 1);
  const isInline = (one) => one.matches('a') && getComputedStyle(one).display === 'inline' && one.parentElement.textContent.trim() !== one.textContent.trim();
  const isSmall = ({ box }) => Math.round(box.width) < least || Math.round(box.height) < least;
  const middle = ({ left, top, width, height }) => [left + width / 2, top + height / 2];
  const isClear = (target) => {
    const [x, y] = middle(target.box);
    return all.every((other) => {
      if (other === target || other.box === target.box || other.one.contains(target.one) || target.one.contains(other.one)) return true;
      const { left, right, top, bottom } = other.box;
      if (isSmall(other)) {
        const [otherX, otherY] = middle(other.box);
        return Math.hypot(otherX - x, otherY - y) >= least;
      }
      return Math.hypot(x - Math.min(right, Math.max(left, x)), y - Math.min(bottom, Math.max(top, y))) >= least / 2;
    });
  };
  const words = ({ one, box }) =>
    \`\${one.tagName.toLowerCase()} "\${one.getAttribute('aria-label') || one.closest('label')?.textContent || one.textContent || one.id}" is \${Math.round(box.width)} by \${Math.round(box.height)}\`;
  return all.filter((target) => isSmall(target) && !isInline(target.one) && !isClear(target)).map(words);`;
