// Made of the database's tables by `quill types`. Make it anew when they change.

/** network.station */
export interface Station {
  /** text */
  code: string;
  /** character varying(60) */
  name: string;
  river_id: number;
  region_id: number;
  /** text */
  grid_reference: string;
  /** network.station_status */
  status: "planned" | "live" | "suspended" | "retired";
  /** numeric(5,2), to the digit */
  alert_m: string;
  /** numeric(5,2), to the digit */
  warning_m: string;
  telemetry: boolean;
  /** date, as 2026-03-31 */
  installed_on: string | null;
  /** text */
  notes: string | null;
}
