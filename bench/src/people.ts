/** The technician who opens and saves in the benchmarks: may see every station. */
export const technician = { id: "bench", name: "Tamsin Okoro", roles: ["technician"], regionId: 3 };
