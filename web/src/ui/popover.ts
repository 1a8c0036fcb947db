/** Whether something lies in a popover, which closes as soon as the focus leaves it. */
export const inPopover = (element: Element): boolean => element.closest('[id^="headlessui-popover-panel"]') !== null;
