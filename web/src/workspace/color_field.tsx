import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useState } from "react";
import { HexColorInput, HexColorPicker } from "react-colorful";

import { eightBits, sixDigits } from "../state/color";
import { Slider } from "../ui/slider";
import { onEnter, refuseTyped, takeTyped } from "../ui/typed";

interface Props {
  label: string;
  color: string;
  disabled?: boolean;
  onChange: (color: string) => void;
}

const DIGITS = /^#([0-9a-f]{3}|[0-9a-f]{6})$/i;
const CHANNELS = ["Red", "Green", "Blue"];

/** A color as a patch that opens a field with sliders, and as digits to be typed. */
export function ColorField({ label, color, disabled, onChange }: Props) {
  const shown = eightBits(color);
  /** Three digits as they were typed: more may follow. */
  const [short, setShort] = useState("");
  const channels = [0, 1, 2].map((k) => parseInt(shown.slice(1 + 2 * k, 3 + 2 * k), 16));
  const withChannel = (k: number, value: number) =>
    onChange(`#${channels.map((old, i) => (i === k ? Math.round(value) : old).toString(16).padStart(2, "0")).join("")}`);
  const settle = (typed: string) => {
    setShort("");
    if (!DIGITS.test(typed)) refuseTyped(`A color has three or six digits, 0 to 9 and a to f; “${typed}” is none. It stays ${shown}.`);
  };
  return (
    <div className="flex min-w-0 grow items-center gap-2 max-[1180px]:gap-1">
      <Popover className="min-w-0 grow">
        <PopoverButton
          disabled={disabled}
          aria-label={`${label}: choose`}
          title="Choose a color"
          style={{ background: shown }}
          className="block h-5 w-full rounded-[10px] shadow-[inset_0_0_0_1px_rgb(0_0_0/0.18)] disabled:opacity-40"
        />
        <PopoverPanel role="region" aria-label={`Field and channels of ${label.toLowerCase()}`} anchor="top" className="card color-field z-20 w-60 p-3 shadow-lg [--anchor-gap:8px]">
          <HexColorPicker color={shown} onChange={onChange} />
          <div className="mt-2">
            {CHANNELS.map((name, k) => (
              <Slider key={name} label={name} value={channels[k]!} min={0} max={255} show={(v) => String(Math.round(v))} onChange={(value) => withChannel(k, value)} />
            ))}
          </div>
        </PopoverPanel>
      </Popover>
      <HexColorInput
        prefixed color={sixDigits(short) === shown ? short : shown} disabled={disabled} aria-label={label} title="Three or six digits of a color can be typed" spellCheck={false}
        onChange={(typed) => {
          setShort(typed.length === 4 ? typed : "");
          takeTyped();
          onChange(sixDigits(typed));
        }}
        onBlur={({ target: { value } }) => settle(value)}
        onKeyDown={(event) => onEnter(event, () => settle(event.currentTarget.value))}
        className="h-6 w-[66px] max-[1180px]:w-[58px] shrink-0 rounded-control bg-transparent text-right text-ink-2 hover:bg-fog-2 focus:bg-fog-2 disabled:opacity-45"
      />
    </div>
  );
}
