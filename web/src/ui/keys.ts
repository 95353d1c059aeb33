const KEPT = "rhombos.keys"

/** Whether single letters and digits are keys of the bench: who dictates, or types by accident, may turn them off. */
export const keysOn = () => localStorage.getItem(KEPT) !== "off"

/** Turn them off, or on again. */
export const switchKeys = () => localStorage.setItem(KEPT, keysOn() ? "off" : "on")
