import type { ReactNode } from "react";

/** A titled part of the tray. */
export function Part({ title, children }: { title: ReactNode; children: ReactNode }) {
  return (
    <section className="min-w-0 px-3.5 py-2 max-[1180px]:px-2">
      <h2 className="flex h-5 items-center font-semibold text-ink-2">{title}</h2>
      {children}
    </section>
  );
}
