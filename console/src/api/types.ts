// The service's models by name. The schema is generated; nothing here is written twice.
import type { components } from "./schema";

type Schemas = components["schemas"];
export type AddressResult = Schemas["AddressResult"];
export type ChangeRow = Schemas["ChangeRow"];
export type DevicePage = Schemas["DevicePage"];
export type DeviceRow = Schemas["DeviceRow"];
export type DeviceSheet = Schemas["DeviceSheet"];
export type Explanation = Schemas["Explanation"];
export type FindAnswer = Schemas["FindAnswer"];
export type Found = Schemas["Found"];
export type Here = Schemas["Here"];
export type AdapterHere = Schemas["AdapterHere"];
export type MeasureView = Schemas["MeasureView"];
export type ResultPage = Schemas["ResultPage"];
export type Ruler = Schemas["Ruler"];
export type ScanInfo = Schemas["ScanInfo"];
export type ScanList = Schemas["ScanList"];
export type ScanRequest = Schemas["ScanRequest"];
export type SubnetRow = Schemas["SubnetRow"];
export type Tick = Schemas["Tick"];

export type AdoptDone = Schemas["AdoptDone"];
export type AssignmentPage = Schemas["AssignmentPage"];
export type AssignmentRow = Schemas["AssignmentRow"];
export type AssignmentView = Schemas["AssignmentView"];
export type BandView = Schemas["BandView"];
export type Candidate = Schemas["Candidate"];
export type CardView = Schemas["CardView"];
export type DhcpPreview = Schemas["DhcpPreview"];
export type DhcpServerView = Schemas["DhcpServerView"];
export type FreeAnswer = Schemas["FreeAnswer"];
export type ImportReport = Schemas["ImportReport"];
export type ImportRow = Schemas["ImportRow"];
export type LeaseView = Schemas["LeaseView"];
export type PoolView = Schemas["PoolView"];
export type Problems = Schemas["Problems"];
export type ProblemView = Schemas["ProblemView"];
export type PublishDone = Schemas["PublishDone"];
export type ReservationState = Schemas["Reservation"]["state"];
export type RulerBand = Schemas["RulerBand"];
export type SubnetPlan = Schemas["SubnetPlan"];
export type SubnetView = Schemas["SubnetView"];
export type TextLine = Schemas["TextLine"];
export type UseView = Schemas["UseView"];
export type AskAnswer = Schemas["AskAnswer"];
export type FindingList = Schemas["FindingList"];
export type FindingSheet = Schemas["FindingSheet"];
export type FindingStep = Schemas["FindingStep"];
export type FindingSubject = Schemas["FindingSubject"];
export type FindingView = Schemas["FindingView"];
export type HeardLine = Schemas["HeardLine"];
export type HistorySpan = Schemas["HistorySpan"];
export type ListeningView = Schemas["ListeningView"];
export type Moment = Schemas["Moment"];
export type OfferView = Schemas["OfferView"];
export type RouteTest = Schemas["RouteTest"];
export type RouteView = Schemas["RouteView"];
export type ReviewCase = Schemas["ReviewCase"];
export type RoleRule = Schemas["RoleRule"];
export type StepDone = Schemas["StepDone"];
export type WatchView = Schemas["WatchView"];
export type Why = Schemas["Why"];
export type BandKind = BandView["kind"];

export interface ScanEvent {
  scan: ScanInfo;
  addresses: AddressResult[];
  more: number;
}

export interface DevicesEvent {
  ids: number[] | null;
  new: number;
}

export interface HeardEvent {
  adapter: string;
  frames: number;
  unread: number;
  per_second: number;
  lines: { protocol: string; mac: string; said: string }[];
}

export const EDITABLE = ["name", "role", "owner", "place", "notes"] as const;
export type Editable = (typeof EDITABLE)[number];
