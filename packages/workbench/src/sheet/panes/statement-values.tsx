/** The parameters of a statement as PostgreSQL was sent them: $1 = MV-014. */
export function StatementValues({ values }: { readonly values: readonly (string | null)[] }) {
  return (
    <p>
      {values.map((value, index) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a parameter's place is its name
        <span key={index}>
          {index > 0 && ", "}${index + 1} = <code>{value ?? "null"}</code>
        </span>
      ))}
    </p>
  );
}
