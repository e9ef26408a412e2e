import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { day } from "@/charts/format";
import type { Clause } from "@/lens/clauses";
import { useClauseWords } from "@/lens/clause-chip";
import { useElsewhere } from "@/study/address";
import { useStudy } from "@/study/context";

type Campaign = Schemas["CustomerCampaign"];

/** Why the customer was written to, or was not. */
export function Written({ customer }: { customer: number }) {
  const { study } = useStudy();
  const found = useQuery({
    queryKey: ["study", study.id, "customer", customer, "campaigns"],
    queryFn: () =>
      data(
        api.GET("/api/studies/{study}/campaigns/customer/{customer}", {
          params: { path: { study: study.id, customer } },
        }),
      ),
  });
  const campaigns = found.data?.campaigns ?? [];
  const never = found.data?.never ?? false;
  const gone = found.data?.opted_out ?? "";
  if (campaigns.length === 0 && !never && !gone) return null;
  return (
    <section className="card p-3" aria-label="Why written to">
      <h2 className="text-14">Why written to</h2>
      {never && (
        <p className="mt-1 text-12 text-quiet">
          In the standing control: no campaign writes to this customer.
        </p>
      )}
      {gone && (
        <p className="mt-1 text-12 text-quiet">
          Opted out on {day(gone)}: no campaign writes to this customer.
        </p>
      )}
      <ul className="mt-1 grid gap-1.5">
        {campaigns.map((campaign) => (
          <One key={campaign.id} campaign={campaign} />
        ))}
      </ul>
    </section>
  );
}

function One({ campaign }: { campaign: Campaign }) {
  const { study } = useStudy();
  const search = useElsewhere();
  const words = useClauseWords();
  const clauses = (campaign.clauses as Clause[]).map((clause) => {
    const { label, picks } = words(clause);
    return `${label} ${clause.negated ? "not " : ""}${picks.join(" or ")}`;
  });
  const sent = campaign.state === "handed over" && campaign.arm === "written to";
  return (
    <li>
      <Link
        className="font-semibold hover:underline"
        to={{
          pathname: `/study/${study.id}/campaigns`,
          search: `${search ? `${search}&` : "?"}campaign=${campaign.id}`,
        }}
      >
        {campaign.name}
      </Link>
      : {sent ? `written to on ${day(campaign.send_on)}` : armWords(campaign)}
      <span className="block text-11 text-quiet">
        {campaign.brought_in
          ? "Sent from elsewhere. "
          : clauses.length
            ? `The lens: ${clauses.join("; ")}. `
            : "The lens: everyone. "}
        {campaign.decided_on &&
          `${campaign.brought_in ? "Brought in" : "Drawn"} on ${day(campaign.decided_on)}. `}
        {campaign.left_on &&
          `Left on ${day(campaign.left_on)}${campaign.sent_to ? `, to ${campaign.sent_to}` : ""}. `}
        {campaign.became.length > 0 && `The letter was ${campaign.became.join(", ")}.`}
      </span>
    </li>
  );
}

function armWords({ arm, send_on }: Campaign): string {
  if (arm === "written to") return `to be written to on ${day(send_on)}`;
  if (arm === "held out") return `held out, so that the effect can be told (${day(send_on)})`;
  return `not written to on ${day(send_on)}: ${arm}`;
}
