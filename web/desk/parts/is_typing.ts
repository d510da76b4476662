/** Whether a key is meant for what has the focus. */
export const isTyping = (target: EventTarget | null) =>
  target instanceof HTMLElement && target.closest("input, textarea, select, [role=textbox], [role=combobox]") !== null;
