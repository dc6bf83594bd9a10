// What has the focus, and what a pointer or a key aims at, as elements of the page.

// active is the element that has the focus; null in a page without a body.
export const active = () => /** @type {HTMLElement | null} */ (document.activeElement);

// leave takes the focus from where it is: keys are the page's again.
export const leave = () => active()?.blur();

// aim is the element that an event came to.
export const aim = (/** @type {Event} */ e) => /** @type {HTMLElement} */ (e.target);
