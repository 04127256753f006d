import type { ReactNode } from "react";
import { I18nProvider } from "react-aria-components";

/** The workbench speaks English whatever the browser does: for what brings texts of its own, lists and dialogs. */
export function English({ children }: { children: ReactNode }) {
  return <I18nProvider locale="en-GB">{children}</I18nProvider>;
}
