/** What is written in capitals wherever it stands. */
const initialisms = /\b(api|csv|dob|gps|html|https?|iban|id|ip|isbn|json|pdf|sku|sms|ur[il]|utc|uuid|vat|xml)\b/g;

/**
 * A label made from a column's name: `installed_on` and `InstalledOn` become "Installed on", `address1` "Address 1", `vat_rate` "VAT rate"; `_id` at the
 * end is dropped.
 */
export function labelFrom(name: string): string {
  const words = name
    .replaceAll(/([a-z0-9])([A-Z])/g, "$1 $2")
    .replaceAll(/[_\s-]+/g, " ")
    // Not what is written with its number: sha256, mp3, co2.
    .replace(/([a-z]{4,})(\d)$/i, "$1 $2")
    .trim()
    .toLowerCase();
  const kept = (words.replace(/ id$/, "") || words).replaceAll(initialisms, (word) => word.toUpperCase());
  return kept === "" ? name : kept.charAt(0).toUpperCase() + kept.slice(1);
}
