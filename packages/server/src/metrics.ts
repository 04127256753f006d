import type { RecordedRequest } from "@loyal-quill/core";
import type { Pages } from "@loyal-quill/runtime";
import type pg from "pg";
import { AggregatorRegistry, Counter, collectDefaultMetrics, Gauge, Histogram, Registry } from "prom-client";
import { problemsOf } from "./store/request-rows.js";

/** Seconds between which most of what is measured lies: from a statement of half a millisecond to a request that waits for a lock. */
const buckets = [0.0005, 0.001, 0.0025, 0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 15];

/**
 * What is measured of an application, for Prometheus. Labels are names of pages, operations, outcomes, steps, statements and rules: no value of a
 * record, and nothing of a person.
 */
export class Metrics {
  readonly registry = new Registry();
  private readonly requests: Counter<"page" | "operation" | "outcome">;
  private readonly seconds: Histogram<"page" | "operation">;
  private readonly steps: Histogram<"step">;
  private readonly statements: Histogram<"purpose">;
  private readonly stops: Counter<"page" | "step">;
  private readonly conflicts: Counter<"page">;
  private readonly refusals: Counter<"page" | "rule">;
  private readonly background: Counter<"database" | "kind" | "state">;

  constructor() {
    const registers = [this.registry];
    collectDefaultMetrics({ register: this.registry });
    this.requests = new Counter({
      name: "quill_requests_total",
      help: "Requests to pages, by what came of them.",
      labelNames: ["page", "operation", "outcome"],
      registers,
    });
    this.seconds = new Histogram({
      name: "quill_request_seconds",
      help: "How long a request to a page took.",
      labelNames: ["page", "operation"],
      buckets,
      registers,
    });
    this.steps = new Histogram({
      name: "quill_step_seconds",
      help: "How long a step of the round trip took.",
      labelNames: ["step"],
      buckets,
      registers,
    });
    this.statements = new Histogram({
      name: "quill_statement_seconds",
      help: "How long a statement was waited for, with its way there and back.",
      labelNames: ["purpose"],
      buckets,
      registers,
    });
    this.stops = new Counter({
      name: "quill_stopped_total",
      help: "Requests that ended at a step before their time.",
      labelNames: ["page", "step"],
      registers,
    });
    this.conflicts = new Counter({
      name: "quill_conflicts_total",
      help: "Saves of a record that somebody else had changed.",
      labelNames: ["page"],
      registers,
    });
    this.refusals = new Counter({
      name: "quill_refusals_total",
      help: "Values that were refused, by the rule.",
      labelNames: ["page", "rule"],
      registers,
    });
    this.background = new Counter({
      name: "quill_background_total",
      help: "Work in the background that ended, by how.",
      labelNames: ["database", "kind", "state"],
      registers,
    });
  }

  /** Counts a request that was answered. */
  request(recorded: RecordedRequest): void {
    const { operation, outcome, ms, steps } = recorded;
    const page = recorded.page ?? "";
    this.requests.inc({ page, operation, outcome });
    this.seconds.observe({ page, operation }, ms / 1000);
    for (const { step, ms: took, stopped, statements } of steps) {
      this.steps.observe({ step }, took / 1000);
      if (stopped !== null) this.stops.inc({ page, step });
      for (const { purpose, ms: waited } of statements)
        if (waited !== undefined) this.statements.observe({ purpose }, waited / 1000);
    }
    if (outcome === "conflict") this.conflicts.inc({ page });
    else for (const { by } of problemsOf(recorded)) this.refusals.inc({ page, rule: by });
  }

  /** Counts work in the background that has ended. */
  ended(database: string, kind: string, state: string): void {
    this.background.inc({ database, kind, state });
  }

  /** Tells of a pool's connections when it is asked. */
  pool(database: string, pool: Pick<pg.Pool, "totalCount" | "idleCount" | "waitingCount">): void {
    this.gauge("quill_pool_connections", "Connections to a database, and requests that wait for one.", (set) => {
      set({ database, state: "used" }, pool.totalCount - pool.idleCount);
      set({ database, state: "idle" }, pool.idleCount);
      set({ database, state: "waiting" }, pool.waitingCount);
    });
  }

  /** Tells of a database's standbys and of its live feed when it is asked. */
  database(database: string, pages: Pick<Pages, "replicas" | "loaded">, feed: { readonly windows: number }): void {
    this.gauge(
      "quill_replica_up",
      "Whether a standby follows and may be read from.",
      (set) => {
        for (const { place, state } of pages.replicas()) set({ database, place }, Number(state === "following"));
      },
      "min",
    );
    this.gauge(
      "quill_replica_behind_seconds",
      "How far a standby is behind the primary.",
      (set) => {
        for (const { place, behind } of pages.replicas()) if (behind !== null) set({ database, place }, behind / 1000);
      },
      "max",
    );
    this.gauge("quill_replica_requests", "Requests that a standby answered, and those in which it failed.", (set) => {
      for (const { place, answered, failed } of pages.replicas()) {
        set({ database, place, what: "answered" }, answered);
        set({ database, place, what: "failed" }, failed);
      }
    });
    this.gauge("quill_feed_windows", "Windows of the workbench that listen to the live feed.", (set) =>
      set({ database }, feed.windows),
    );
    this.gauge(
      "quill_pages",
      "Page files, by whether they are served.",
      (set) => {
        const { files } = pages.loaded();
        set({ database, state: "served" }, files.filter(({ page }) => page !== null).length);
        set({ database, state: "unsound" }, files.filter(({ page }) => page === null).length);
      },
      "max",
    );
  }

  processes(exchange: { processes(): readonly unknown[] }): void {
    this.gauge(
      "quill_processes",
      "Processes over the same store.",
      (set) => set({}, exchange.processes().length),
      "max",
    );
  }

  private readonly gauges = new Map<string, ((set: Set) => void)[]>();

  /** A gauge whose values are asked for when it is read; several may tell of their own under one name. */
  private gauge(name: string, help: string, tell: (set: Set) => void, together: "sum" | "max" | "min" = "sum"): void {
    const known = this.gauges.get(name);
    if (known) {
      known.push(tell);
      return;
    }
    const all = [tell];
    this.gauges.set(name, all);
    const labelNames = ["database", "place", "state", "what"];
    new Gauge({
      name,
      help,
      labelNames,
      aggregator: together,
      registers: [this.registry],
      collect() {
        this.reset();
        for (const each of all) each((labels, value) => this.set(labels, value));
      },
    });
  }
}

type Set = (labels: Record<string, string>, value: number) => void;

/** What the workers of this process measure, together: each of them has handed its own in. */
export function aggregatedMetrics(): { readonly type: string; readonly text: () => Promise<string> } {
  const all = new AggregatorRegistry();
  return { type: all.contentType, text: () => all.clusterMetrics() };
}

/** Hands what a worker measures to the process that has begun it. */
export function handIn(registry: Registry): void {
  AggregatorRegistry.setRegistries([registry]);
  // One that is made in a worker answers when it is asked.
  new AggregatorRegistry();
}
