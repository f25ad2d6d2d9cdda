import type { components } from "./schema.gen";

type Schemas = components["schemas"];

export type Session = Schemas["Session"];
export type SessionState = Schemas["SessionState"];
export type SessionListing = Schemas["SessionListing"];
export type Strip = Schemas["Strip"];
export type Pan = Schemas["Pan"];
export type Processor = Strip["chain"][number];
export type Eq = Schemas["Eq"];
export type EqBand = Schemas["EqBand"];
export type Compressor = Schemas["Compressor"];
export type CompressorParams = Schemas["CompressorParams"];
export type Key = Schemas["Key"];
export type Action = Schemas["Edit"]["action"];
export type StripSettings = Schemas["StripSettings"];
export type NewTrack = Schemas["NewTrack"];
export type TreeRow = Schemas["TreeRow"];
export type Folder = Schemas["Folder"];
export type ControlGroup = Schemas["ControlGroup"];
export type Send = Schemas["Send"];
export type Clip = Schemas["Clip"];
export type Media = Schemas["Media"];
export type Parallel = Schemas["Parallel-Output"];
export type Lane = Schemas["Lane-Output"];
export type LanePlace = Schemas["LanePlace"];
export type Flow = Schemas["Flow"];
export type FlowNode = Schemas["FlowNode"];
export type FlowEdge = Schemas["FlowEdge"];
export type Preset = Schemas["Preset-Output"];
export type PresetListing = Schemas["PresetListing"];
export type RackListing = Schemas["RackListing"];
export type PutAsideBody = Schemas["PutAsideBody"];
export type SnapshotListing = Schemas["SnapshotListing"];
export type Difference = Schemas["Difference"];
export type ReferenceOrder = Schemas["ReferenceOrder"];
export type JobStatus = Schemas["JobStatus"];
export type ProcessorListing = Schemas["ProcessorListing"];
export type PrintOrder = Schemas["PrintOrder"];
export type ErrorBody = Schemas["ErrorBody"];

/** What an action looks like before its defaults are filled in. */
export type Wish = { type: Action["type"] } & Record<string, unknown>;
