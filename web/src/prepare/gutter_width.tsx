/** Gutters to choose from, in texels. */
const WIDTHS = [4, 8, 16, 32, 64];

/** How far islands continue into the gaps between them; null: as far as the map's size asks for. */
export function GutterWidth({ gutter, onChange }: { gutter: number | null | undefined; onChange: (texels: number | null) => void }) {
  // A script may have set another.
  const widths = gutter == null || WIDTHS.includes(gutter) ? WIDTHS : [...WIDTHS, gutter];
  return (
    <label
      className="mt-2 flex items-center gap-1.5 border-t border-fog-3 pt-2"
      title="How far the color of islands goes on around them, so that no seam shows when maps are shown small; by size: 1/128 of the longer side, at least 16 texels"
    >
      Gutter
      <select value={gutter ?? ""} className="h-7 rounded-control bg-fog-2 px-1.5" onChange={({ target: { value } }) => onChange(value ? Number(value) : null)}>
        <option value="">by the map’s size</option>
        {widths.map((texels) => (
          <option key={texels} value={texels}>
            {texels} texels
          </option>
        ))}
      </select>
    </label>
  );
}
