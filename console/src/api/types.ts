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

export interface ScanEvent {
  scan: ScanInfo;
  addresses: AddressResult[];
  more: number;
}

export interface DevicesEvent {
  ids: number[] | null;
  new: number;
}

export const EDITABLE = ["name", "role", "owner", "place", "notes"] as const;
export type Editable = (typeof EDITABLE)[number];
export const ROLES = [
  "network", "server", "storage", "phone", "printer", "camera", "wireless", "workstation", "portable", "control", "other",
];
