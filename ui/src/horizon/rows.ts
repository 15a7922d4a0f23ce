/** Rows of a page of the Horizon. */
export const pageRows = 100;
