/** The head of a part of a card. */
export const Head = ({ children }: { children: string }) => <h3 className="mt-2.5 mb-0.5 font-semibold text-ink-2 first:mt-0">{children}</h3>;
