/** What is wrong with a form, told before it is sent: for the script of the served pages. */
export interface Judged {
  readonly problems: readonly { readonly field: string | null; readonly message: string }[];
  readonly heading: string;
  readonly advice: string;
  readonly title: string;
}
