import { X } from "lucide-react";
import type { Piece, Shot } from "../../../api/client";
import { useColour } from "../../../api/queries";
import { Check, Choice, Select } from "../../../ui/controls";
import { type Form, formsFor, isShown, kindOf, usualName, WHAT, withForm } from "./pieces";

interface Props {
  shot: Shot;
  piece: Piece;
  forms: Form[];
  /** Whether there are others: the last one cannot go. */
  spare: boolean;
  onChange: (piece: Piece) => void;
  onDrop: () => void;
}

/** One thing that is delivered: what it is, its form, its few choices and its name. */
export function PieceRow({ shot, piece, forms, spare, onChange, onDrop }: Props) {
  const colour = useColour().data;
  const set = (part: Partial<Piece>) => onChange({ ...piece, ...part });
  const form = forms.find((one) => one.key === piece.form);
  const exr = piece.form.startsWith("exr");
  const spaces = [
    { value: "own", words: `As the clip (${shot.clip.space_words})` },
    ...(colour?.encodings ?? []).map((one) => ({ value: one.space, words: one.words })),
  ];
  const coloured = piece.what === "patch" || (piece.what === "frames" && piece.form !== "source");
  return (
    <li aria-label={WHAT[piece.what].words} className="flex flex-col gap-1.5 rounded-lg bg-felt-2/60 px-3 py-2">
      <div className="flex items-center gap-2">
        <b className="w-32 shrink-0 font-medium" title={WHAT[piece.what].tip}>
          {WHAT[piece.what].words}
        </b>
        <div className="w-52">
          {isShown(piece) ? (
            <span className="text-soft">H.264, with the look</span>
          ) : (
            <Plain
              label="Form"
              value={piece.form}
              options={formsFor(piece, forms)}
              onChange={(next) => onChange(withForm(piece, next, forms))}
            />
          )}
        </div>
        <input
          aria-label={`Names of the ${WHAT[piece.what].words.toLowerCase()}`}
          title="{clip} {shot} {job} {fix} {piece} {number}, and #### for the frame's number"
          value={piece.name}
          placeholder={usualName(piece, shot, forms)}
          onChange={(event) => set({ name: event.target.value })}
          onKeyDown={(event) => event.stopPropagation()}
          className="figure h-[26px] min-w-0 flex-1 rounded-md border border-line bg-felt-0 px-2 text-[11.5px] select-text"
        />
        <button
          type="button"
          aria-label={`Without ${WHAT[piece.what].words.toLowerCase()}`}
          disabled={!spare}
          className="text-soft hover:text-ink disabled:opacity-30"
          onClick={onDrop}
        >
          <X size={14} />
        </button>
      </div>
      {piece.what === "frames" && piece.form === "source" && <p className="text-soft">{kindOf(shot)}</p>}
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1.5">
        {piece.what === "mattes" && (
          <Choice
            label="Mattes"
            value={piece.each ? "each" : "all"}
            onChange={(next) => set({ each: next === "each" })}
            options={[
              { value: "each", words: "One a fix" },
              { value: "all", words: "All together" },
            ]}
          />
        )}
        {piece.what === "patch" && (
          <Choice
            label="Alpha"
            value={piece.straight ? "straight" : "premultiplied"}
            onChange={(next) => set({ straight: next === "straight" })}
            options={[
              { value: "straight", words: "Straight", tip: "Colours are not multiplied by alpha" },
              {
                value: "premultiplied",
                words: "Premultiplied",
                disabled: piece.form === "png16",
                tip: piece.form === "png16" ? "PNG holds straight alpha only" : "Colours are multiplied by alpha",
              },
            ]}
          />
        )}
        {coloured && (
          <div className="w-64" title="What the written values mean. Nothing is graded either way.">
            <Plain label="Values" value={piece.space} options={spaces} onChange={(space) => set({ space })} />
          </div>
        )}
        {piece.what === "frames" && exr && (
          <Check words="Mattes as channels" on={piece.mattes} set={(mattes) => set({ mattes })} />
        )}
        {form?.coded && (
          <span className="text-noticeable">Coded with loss: values outside the mattes change a little.</span>
        )}
      </div>
    </li>
  );
}

interface PlainProps {
  label: string;
  value: string;
  options: { value: string; words: string }[];
  onChange: (value: string) => void;
}

function Plain(props: PlainProps) {
  return (
    <div className="[&>div]:!w-full">
      <Select {...props} bare />
    </div>
  );
}
