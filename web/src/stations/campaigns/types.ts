import type { Schemas } from "@/api/client";

export type Row = Schemas["CampaignRow"];
export type PlanBody = Schemas["CampaignPlan"];
export type Page = Schemas["CampaignsPage"];
export type Result = Schemas["CampaignResult"];
export type ListKind = NonNullable<Schemas["ListAsked"]["kind"]>;
export type Letters = Schemas["LettersPage"];
export type Departure = Schemas["DepartureRow"];
export type ForkPoint = Schemas["ForkPoint"];

/** What a plan says as it stands. */
export function planOf(row: Row): PlanBody {
  const { name, send_on, read_on, holdout, rest_days, versions } = row;
  return { name, send_on, read_on, holdout, rest_days, versions };
}
