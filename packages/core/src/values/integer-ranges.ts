/** The least and the greatest whole number of each type, by the type's name (PostgreSQL documentation, 8.1.1). */
export const integerRanges: Readonly<Record<string, { readonly min: string; readonly max: string }>> = {
  smallint: { min: "-32768", max: "32767" },
  integer: { min: "-2147483648", max: "2147483647" },
  bigint: { min: "-9223372036854775808", max: "9223372036854775807" },
};
