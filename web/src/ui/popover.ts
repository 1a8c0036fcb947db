/** Whether something lies in a popover, which closes as soon as the focus leaves it. */
export const inPopover = (element: Element): boolean => element.closest('[id^="headlessui-popover-panel"]') !== null;

/** Closes the popover that is open; returns whether one was. */
export function closePopover(): boolean {
  const button = document.querySelector<HTMLElement>('[id^="headlessui-popover-button"][aria-expanded="true"]');
  button?.click();
  return button !== null;
}
