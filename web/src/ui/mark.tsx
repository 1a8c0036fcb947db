/** The mark and name of Nightmist. */
export function Mark() {
  return (
    <span className="flex items-center gap-2 text-base font-semibold tracking-tight">
      <svg viewBox="0 0 28 28" className="size-6" aria-hidden>
        <circle cx="14" cy="5.5" r="3" fill="currentColor" />
        <path d="M9.6 15.5l2-5.3h4.8l2 5.3z" fill="currentColor" />
        <path
          d="M3 19.5c2.2 0 2.2-2 4.4-2s2.2 2 4.4 2 2.2-2 4.4-2 2.2 2 4.4 2 2.2-2 4.4-2M6 24.5c2.2 0 2.2-2 4.4-2s2.2 2 4.4 2 2.2-2 4.4-2 2.2 2 4.4 2"
          fill="none"
          stroke="var(--accent)"
          strokeWidth="2"
          strokeLinecap="round"
        />
      </svg>
      <span>nightmist</span>
    </span>
  );
}
