import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useNavigate, useParams } from "react-router";

import { api, data } from "@/api/client";
import { useHere } from "@/study/address";
import { useStudy } from "@/study/context";
import { unit } from "@/study/unit";

/** Who was pointed at for so long, in milliseconds, is asked for. */
const SOON = 90;

/** Go to a customer's page, window and lens kept. */
export function useOpenCustomer() {
  const { study } = useParams();
  const search = useHere();
  const go = useNavigate();
  return (number: number) => void go({ pathname: `/study/${study}/customer/${number}`, search });
}

/** What a customer is called; empty until that is known. */
function useName(number: number): string {
  const { study } = useStudy();
  const [asked, setAsked] = useState<number | null>(null);
  useEffect(() => {
    const timer = window.setTimeout(() => setAsked(number), SOON);
    return () => window.clearTimeout(timer);
  }, [number]);
  const found = useQuery({
    queryKey: ["study", study.id, "names", asked],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/names", {
          params: { path: { study: study.id }, query: { numbers: String(asked) } },
          signal,
        }),
      ),
    enabled: asked === number,
    staleTime: 60_000,
  });
  return asked === number ? (found.data?.names[0] ?? "") : "";
}

interface Props {
  number: number;
  group: string;
  values: (readonly [label: string, words: string])[];
}

/** Who a point is. */
export function PointWords({ number, group, values }: Props) {
  const name = useName(number);
  return (
    <>
      <b className="block font-semibold">{name || `a ${unit.one}`}</b>
      <span className="block">{group}</span>
      {values.map(([label, words]) => (
        <span key={label} className="block text-11">
          {label} {words}
        </span>
      ))}
    </>
  );
}
