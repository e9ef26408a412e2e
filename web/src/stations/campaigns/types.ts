import type { Schemas } from "@/api/client";

export type Row = Schemas["CampaignRow"];
export type PlanBody = Schemas["CampaignPlan"];
export type Result = Schemas["CampaignResult"];
export type ForkPoint = Schemas["ForkPoint"];
