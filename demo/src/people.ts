/** The people of the gauge network. Those with an account in the demo are one for each role, and one switched off. */
export interface DemoPerson {
  readonly id: string;
  readonly name: string;
  readonly email: string;
  readonly role: "builder" | "hydrologist" | "technician" | "duty-officer" | KeeperRole;
  readonly regionId: number | null;
  readonly team: string;
  readonly active: boolean;
  readonly account: boolean;
}

const row = (
  number: number,
  name: string,
  role: DemoPerson["role"],
  regionId: number | null,
  team: string,
  active = true,
  account = false,
): DemoPerson => ({
  id: `5e0c7a10-4b1d-4c55-9d0e-0000000000${String(number).padStart(2, "0")}`,
  name,
  email: `${(name.split(" ")[0] ?? name).toLowerCase()}@marrow-vale.example`,
  role,
  regionId,
  team,
  active,
  account,
});

export const people: readonly DemoPerson[] = [
  row(1, "Ines Farrow", "builder", null, "web", true, true),
  row(2, "Hollis Brandt", "hydrologist", 2, "hydrology", true, true),
  row(3, "Tamsin Okoro", "technician", 3, "field", true, true),
  row(4, "Dara Lindqvist", "duty-officer", null, "duty", true, true),
  row(5, "Piers Wexcombe", "technician", 1, "field", false, true),
  row(6, "Aune Salo", "hydrologist", 1, "hydrology"),
  row(7, "Moritz Kell", "hydrologist", 3, "hydrology"),
  row(8, "Sefa Aydin", "hydrologist", 4, "hydrology"),
  row(9, "Bryn Talbot", "technician", 1, "field"),
  row(10, "Lotte Haas", "technician", 2, "field"),
  row(11, "Cato Nwosu", "technician", 4, "field"),
  row(12, "Wilma Prior", "duty-officer", null, "duty"),
  row(13, "Edda Marsh", "duty-officer", null, "duty"),
  row(14, "Ruben Achterberg", "hydrologist", 2, "hydrology", false),
];

/** Roles of Loyal Quill itself, of people who have nothing to do with gauges. */
type KeeperRole = "administrator" | "auditor";

/** People with an account who do not stand in the network's own tables. */
export const keepers: readonly DemoPerson[] = [
  row(15, "Rhea Novak", "administrator", null, "office", true, true),
  row(16, "Silas Kwan", "auditor", null, "office", true, true),
];
