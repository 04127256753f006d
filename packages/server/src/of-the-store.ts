/** What stands for a directory where the page files are the store's versions. */
export const ofTheStore = "store";
