const KEYWORDS = ["top-left", "top", "top-right", "left", "center", "right", "bottom-left", "bottom", "bottom-right"];

interface Props {
  value: string;
  disabled: boolean;
  onChange: (keyword: string) => void;
}

/** Nine places a crop can keep. */
export function PositionGrid({ value, disabled, onChange }: Props) {
  return (
    <div className="nine" role="group" aria-label="Part to keep">
      {KEYWORDS.map((keyword) => (
        <button
          key={keyword}
          type="button"
          title={keyword}
          aria-label={keyword}
          aria-pressed={!disabled && value === keyword}
          disabled={disabled}
          onClick={() => { onChange(keyword); }}
        />
      ))}
    </div>
  );
}
