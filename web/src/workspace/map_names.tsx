import { useEffect, useState } from "react";

import { Problem, mapNames } from "../api/rest";
import { FRESH, useDesk } from "../state/desk";

/** Milliseconds of rest while typing, until the server is asked. */
const REST = 150;
const WORDS = ["project", "surface", "map", "size"];

/** How the files of maps are called, with the first of them as it will be; `onJudged` says whether they can be called so. */
export function MapNames({ id, onJudged }: { id: string; onJudged: (good: boolean) => void }) {
  const names = useDesk((desk) => desk.mapNames);
  const [said, setSaid] = useState("");
  const [good, setGood] = useState(true);
  useEffect(() => {
    let current = true;
    const judged = (text: string, fine: boolean) => {
      if (!current) return;
      setSaid(text);
      setGood(fine);
      onJudged(fine);
    };
    const later = setTimeout(() => {
      mapNames(id, names).then(
        (found) => judged(`${found[0] ?? ""}${found.length > 1 ? ` and ${found.length - 1} more` : ""}`, true),
        (error: unknown) => judged(error instanceof Problem ? error.message : "The names could not be asked for.", false),
      );
    }, REST);
    return () => {
      current = false;
      clearTimeout(later);
    };
  }, [id, names, onJudged]);
  return (
    <div className="px-3 pb-2 pt-1.5">
      <label className="block">
        <span className="mb-1 block text-ink-2">Names of maps</span>
        <input
          value={names}
          maxLength={200}
          spellCheck={false}
          aria-invalid={!good}
          aria-describedby="map-names-said"
          title={`Words in braces stand for what each map has: ${WORDS.map((word) => `{${word}}`).join(" ")}`}
          onChange={(event) => useDesk.setState({ mapNames: event.target.value })}
          onBlur={() => names.trim() || useDesk.setState({ mapNames: FRESH.mapNames })}
          onKeyDown={(event) => event.key !== "Escape" && event.stopPropagation()}
          className="h-8 w-full rounded-control bg-fog-2 px-2"
        />
      </label>
      <p id="map-names-said" role="status" className={`mt-1 whitespace-normal [overflow-wrap:anywhere] ${good ? "text-ink-2" : "text-danger"}`}>
        {said}
      </p>
    </div>
  );
}
