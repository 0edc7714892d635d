/** The version of the package; a test compares them. */
export const VERSION = '0.1.0';
