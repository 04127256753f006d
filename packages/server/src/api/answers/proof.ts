import type { Census, CensusSoFar } from "@loyal-quill/authoring";
import type { Played, Rehearsal, Replayed } from "@loyal-quill/authoring/rehearsal";

/** A census that was asked for. */
export interface CensusAnswer {
  readonly state: "running" | "done" | "cancelled" | "failed";
  /** From 0 to 1. */
  readonly done: number;
  readonly begun: string;
  /** The text that it counts for. */
  readonly text: string;
  readonly census: Census | null;
  /** Of one that goes on: the rows that were read, and of each rule and check how many of them it would refuse. */
  readonly soFar: CensusSoFar | null;
  readonly because: string | null;
}

/** A case of a rehearsal, its evidence left out. */
export type PlayedAnswer = Omit<Played, "evidence"> & { readonly requests: number };

/** A rehearsal that was asked for. */
export interface RehearsalAnswer {
  readonly state: "running" | "done" | "cancelled" | "failed";
  /** From 0 to 1. */
  readonly done: number;
  readonly begun: string;
  /** The text that was rehearsed, and what it was then: the published one, or a draft of some revision. */
  readonly text: string;
  readonly of: { readonly is: "published" } | { readonly is: "draft"; readonly revision: number | null };
  readonly quick: boolean;
  /** Of one that goes on: the cases that came, of how many. */
  readonly soFar: { readonly all: number; readonly played: readonly PlayedAnswer[] };
  readonly rehearsal:
    | (Omit<Rehearsal, "cases" | "changed"> & {
        readonly cases: readonly PlayedAnswer[];
        readonly changed: readonly PlayedAnswer[];
      })
    | null;
  readonly because: string | null;
}

/** Requests that are played again. */
export interface ReplayAnswer {
  readonly state: "running" | "done" | "cancelled" | "failed";
  readonly done: number;
  readonly begun: string;
  readonly text: string;
  /** How many were asked for. */
  readonly asked: number;
  /** Without what each came to in full. */
  readonly played: readonly Omit<Replayed, "recorded">[] | null;
  readonly because: string | null;
}
