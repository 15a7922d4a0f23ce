/** Lines of each verdict that the Morning asks for at first. */
export const morningRows = 100;
