/** Where in a page file something stands: the names and positions that lead to it. */
export type Path = readonly (string | number)[];
