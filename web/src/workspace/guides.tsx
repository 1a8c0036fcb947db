import { useGuide } from "../state/guide";

/** The straight line being drawn, and the brush in the map. */
export function Guides() {
  const { line, outline, circles, mark } = useGuide();
  if (!line && !outline && !circles.length && !mark) return null;
  return (
    <svg className="pointer-events-none absolute inset-0 size-full" aria-hidden>
      {line && (
        <>
          <line x1={line.from.x} y1={line.from.y} x2={line.to.x} y2={line.to.y} stroke="#1e2422" strokeWidth={3} opacity={0.5} />
          <line x1={line.from.x} y1={line.from.y} x2={line.to.x} y2={line.to.y} stroke="#fff" strokeWidth={1.2} />
        </>
      )}
      {outline && (
        <>
          <polygon points={outline.map(({ x, y }) => `${x},${y}`).join(" ")} fill="rgb(12 140 122 / 0.18)" stroke="#1e2422" strokeWidth={3} strokeOpacity={0.45} />
          <polygon points={outline.map(({ x, y }) => `${x},${y}`).join(" ")} fill="none" stroke="#fff" strokeWidth={1.2} strokeDasharray="5 3" />
        </>
      )}
      {mark && (
        <>
          <circle cx={mark.x} cy={mark.y} r={9} fill="none" stroke="#1e2422" strokeWidth={3} opacity={0.45} />
          <circle cx={mark.x} cy={mark.y} r={9} fill="none" stroke="#f0b429" strokeWidth={1.6} />
        </>
      )}
      {circles.map(({ x, y, radius }, i) => (
        <g key={i} data-testid="map-ring" opacity={i ? 0.6 : 1}>
          <circle cx={x} cy={y} r={radius} fill="none" stroke="#1e2422" strokeWidth={3} opacity={0.45} />
          <circle cx={x} cy={y} r={radius} fill="none" stroke="#fff" strokeWidth={1.2} />
        </g>
      ))}
    </svg>
  );
}
