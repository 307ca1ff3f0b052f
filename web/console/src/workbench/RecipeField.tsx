import { Button, Input } from "antd";
import type { Problem } from "../api/client";

interface Props {
  text: string;
  refused: Problem | undefined;
  onChange: (text: string) => void;
}

/** The recipe as text, and what is wrong with it. */
export function RecipeField({ text, refused, onChange }: Props) {
  const { clause, nearest } = refused ?? {};
  return (
    <div className="recipe">
      <label htmlFor="recipe" className="quiet">
        Recipe
      </label>
      <Input
        id="recipe"
        spellCheck={false}
        status={refused ? "error" : ""}
        value={text}
        onChange={(event) => { onChange(event.target.value.trim()); }}
      />
      {refused && (
        <div role="alert" style={{ marginTop: 6, color: "#9c2f14" }}>
          {refused.detail}
          {clause && nearest && (
            <Button size="small" style={{ marginLeft: 8 }} onClick={() => { onChange(replaced(text, clause, nearest)); }}>
              Use {nearest}
            </Button>
          )}
        </div>
      )}
    </div>
  );
}

/** The recipe with the clause at fault replaced. */
function replaced(text: string, clause: string, nearest: string): string {
  return text.split("_").map((part) => (part === clause ? nearest : part)).join("_");
}
