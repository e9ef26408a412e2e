import type { InputHTMLAttributes, ReactNode } from "react";
import { Input } from "@/ui/input";

/** The page before one is in: the name of the house and one card. */
export function Door({ title, children }: { title: string; children: ReactNode }) {
  return (
    <main className="grid min-h-screen place-items-center bg-paper p-6">
      <div className="w-full max-w-sm">
        <div className="mb-5 flex items-center gap-2.5">
          <img src="/static/sortija.svg" alt="" width={30} height={30} />
          <span className="font-head text-20 font-bold">Sortija</span>
        </div>
        <section className="card p-6">
          <h1 className="mb-4 text-20">{title}</h1>
          {children}
        </section>
      </div>
    </main>
  );
}

export function Field({
  label,
  ...rest
}: InputHTMLAttributes<HTMLInputElement> & { label: string }) {
  return (
    <label className="grid gap-1">
      <span className="text-12 text-quiet">{label}</span>
      <Input required className="text-13" {...rest} />
    </label>
  );
}
