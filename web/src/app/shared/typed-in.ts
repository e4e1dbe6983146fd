/** Whether letters go into something that is typed into: keys that mean something to the page then mean it there. */
export const isTypedIn = (target: EventTarget | null): boolean =>
  target instanceof Element && target.closest('input, textarea, select, [contenteditable="true"]') !== null;
