import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { day } from "@/charts/format";
import { queueWrite } from "@/study/write-queue";
import { Button } from "@/ui/button";
import { Card } from "@/ui/card";
import { useNotice } from "@/ui/notices";
import { Failed, Waiting } from "@/ui/status";
import { Select } from "@/ui/select";
import { Input } from "@/ui/input";

type Member = Schemas["MemberRow"];

const ROLES: [string, string][] = [
  ["reader", "can see everything"],
  ["analyst", "can change and decide"],
  ["owner", "can also invite people and erase customers"],
];

/** Who works on the study: roles, invitations that are open, a new invitation. */
export function People({
  study,
  open,
  onClose,
}: {
  study: Schemas["StudyRow"];
  open: boolean;
  onClose: () => void;
}) {
  const path = { params: { path: { study: study.id } } };
  const page = useQuery({
    queryKey: ["study", study.id, "members"],
    queryFn: () => data(api.GET("/api/studies/{study}/members", path)),
    enabled: open,
    staleTime: 0, // who came in by an invitation did so elsewhere
  });
  const owner = study.role === "owner";
  return (
    <Card title={`People of ${study.name}`} open={open} onClose={onClose} wide>
      {page.isError && <Failed words={page.error.message} />}
      {page.isPending && <Waiting height={120} />}
      <ul className="mt-2">
        {page.data?.members.map((member) => (
          <One key={member.id} study={study.id} member={member} owner={owner} />
        ))}
      </ul>
      {owner && page.data && <Invitations study={study.id} rows={page.data.invitations} />}
      {!owner && (
        <p className="mt-3 text-12 text-quiet">Owners invite colleagues and change their roles.</p>
      )}
    </Card>
  );
}

function useMembersChange<T, R>(study: number, change: (input: T) => Promise<R>) {
  const queries = useQueryClient();
  const say = useNotice();
  return useMutation({
    mutationFn: change,
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => queries.invalidateQueries({ queryKey: ["study", study, "members"] }),
  });
}

function One({ study, member, owner }: { study: number; member: Member; owner: boolean }) {
  const say = useNotice();
  const [asked, setAsked] = useState(false);
  const at = { params: { path: { study, member: member.id } } };
  const thing = `member ${member.id}`;
  const change = useMembersChange(study, (role: string) =>
    queueWrite(thing, member.revision, (headers) =>
      data(api.PUT("/api/studies/{study}/members/{member}", { ...at, headers, body: { role } })),
    ),
  );
  const remove = useMembersChange(study, () =>
    queueWrite(thing, member.revision, (headers) =>
      data(api.DELETE("/api/studies/{study}/members/{member}", { ...at, headers })),
    ),
  );
  return (
    <li className="flex items-center gap-3 border-t border-line py-2 first:border-t-0">
      <span className="grid size-[26px] shrink-0 place-items-center rounded-full bg-ink text-11 font-semibold text-white">
        {member.initials}
      </span>
      <span className="min-w-0 flex-1 truncate">
        {member.name}
        {member.own && <span className="text-quiet"> (you)</span>}
      </span>
      {owner ? (
        <Select
          label={`Role of ${member.name}`}
          value={member.role}
          disabled={change.isPending}
          onChange={(value) =>
            change.mutate(value, {
              onSuccess: (now) => {
                say(`${now.name} is now ${now.role === "reader" ? "a" : "an"} ${now.role}.`);
                if (member.own) location.reload();
              },
            })
          }
          options={ROLES.map(([role]) => [role, role] as const)}
        />
      ) : (
        <span className="text-quiet">{member.role}</span>
      )}
      {(owner || member.own) && (
        <Button
          kind="quiet"
          className="w-24"
          disabled={remove.isPending}
          onBlur={() => setAsked(false)}
          onClick={() => {
            if (!asked) {
              setAsked(true);
              return;
            }
            remove.mutate(undefined, {
              onSuccess: () => {
                if (member.own) {
                  location.assign("/#all");
                  return;
                }
                say(`${member.name} is no longer in this study.`);
              },
            });
          }}
        >
          {asked ? "Really?" : member.own ? "Leave" : "Remove"}
        </Button>
      )}
    </li>
  );
}

function Invitations({ study, rows }: { study: number; rows: Schemas["InvitationRow"][] }) {
  const [role, setRole] = useState("analyst");
  const [made, setMade] = useState("");
  const say = useNotice();
  const at = { params: { path: { study } } };
  const invite = useMembersChange(study, () =>
    data(api.POST("/api/studies/{study}/invitations", { ...at, body: { role } })),
  );
  const revoke = useMembersChange(study, (invitation: number) =>
    data(
      api.DELETE("/api/studies/{study}/invitations/{invitation}", {
        params: { path: { study, invitation } },
      }),
    ),
  );
  return (
    <section aria-label="Invitations" className="mt-4 border-t border-line pt-3">
      <h3 className="text-13">Invite a colleague</h3>
      <div className="mt-2 flex items-end gap-2">
        <label className="grid flex-1 gap-1 text-12 text-quiet">
          Who comes in as
          <Select
            value={role}
            onChange={(value) => setRole(value)}
            className="text-13"
            options={ROLES.map(([name, words]) => [name, `${name}: ${words}`] as const)}
          />
        </label>
        <Button
          kind="main"
          disabled={invite.isPending}
          onClick={() =>
            invite.mutate(undefined, {
              onSuccess: (invitation) => setMade(location.origin + invitation.path),
            })
          }
        >
          Make a link
        </Button>
      </div>
      {made && (
        <div className="mt-3 rounded-md bg-paper p-3">
          <p className="text-12 text-quiet">
            Send this link to one colleague. It is shown here only, works once, and for seven days.
          </p>
          <div className="mt-2 flex gap-2">
            <Input
              readOnly
              aria-label="Link of the invitation"
              value={made}
              onFocus={(event) => event.target.select()}
              className="min-w-0 flex-1 text-12"
            />
            <Button
              onClick={() =>
                void navigator.clipboard.writeText(made).then(
                  () => say("The link is copied."),
                  () =>
                    say("This browser does not copy. Mark the link instead.", { trouble: true }),
                )
              }
            >
              Copy
            </Button>
          </div>
        </div>
      )}
      {rows.length > 0 && (
        <>
          <h3 className="mt-4 text-13">Open invitations</h3>
          <ul>
            {rows.map((row) => (
              <li key={row.id} className="flex items-center gap-3 py-1">
                <span className="flex-1">
                  {row.role}, until {day(row.until.slice(0, 10))}
                  {row.by && <span className="text-quiet">, made by {row.by}</span>}
                </span>
                <Button
                  kind="quiet"
                  className="w-24"
                  onClick={() =>
                    revoke.mutate(row.id, {
                      onSuccess: () => say("The invitation is revoked: its link works no more."),
                    })
                  }
                >
                  Revoke
                </Button>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
