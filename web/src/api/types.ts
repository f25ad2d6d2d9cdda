import type { components } from "./schema.gen";

type Schemas = components["schemas"];

export type Session = Schemas["Session"];
export type SessionState = Schemas["SessionState"];
export type SessionListing = Schemas["SessionListing"];
export type Strip = Schemas["Strip"];
export type Pan = Schemas["Pan-Output"];
export type Processor = Strip["chain"][number];
export type Eq = Schemas["Eq-Output"];
export type EqBand = Schemas["EqBand-Output"];
export type Compressor = Schemas["Compressor-Output"];
export type CompressorParams = Schemas["CompressorParams-Output"];
export type Key = Schemas["Key-Output"];
export type Action = Schemas["Edit"]["action"];
export type StripSettings = Schemas["StripSettings"];
export type NewTrack = Schemas["NewTrack-Output"];
export type TreeRow = Schemas["TreeRow"];
export type Folder = Schemas["Folder"];
export type ControlGroup = Schemas["ControlGroup"];
export type Send = Schemas["Send-Output"];
export type Clip = Schemas["Clip"];
export type Media = Schemas["Media-Output"];
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

export type ProcessorKind = ProcessorListing["kind"];
export type RackName = RackListing["rack"];
export type Tempo = Session["tempo"][number];
export type Parameter = Schemas["Parameter"];
export type Movable = Schemas["MovableListing"];
export type Move = Session["moves"][number];
export type MovePoint = Move["points"][number];
export type ProcessorValues = Omit<Schemas["SetProcessor"], "type" | "strip" | "processor">;
export type SendSettings = Schemas["SendSettings"];
export type GroupSettings = Schemas["SetGroup"];
export type ClipSettings = Schemas["ClipSettings"];
export type LaneSettings = Schemas["LaneSettings"];

/** An edit as the server takes it: what has a default may be left out. */
export type Wish = Action;
