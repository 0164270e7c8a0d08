/** A picture that is traced: in which colours, what each is printed as, and the files of shapes. */

import DownloadIcon from "@mui/icons-material/Download";
import {
  Box,
  Button,
  ButtonBase,
  FormControlLabel,
  Popover,
  Stack,
  Switch,
  TextField,
  Tooltip,
  Typography,
} from "@mui/material";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { type Choice, type Ink, type Original, answered, api, sentence } from "../../api/client";
import { rules } from "../../api/rules";
import { bytes, counted } from "../../app/format";
import { Dial } from "./Dial";
import { Column } from "./Part";

export type Traced = Extract<Choice, { by: "traced" }>;

const RESTS_MS = 400;

/** `asked` changes with everything that the picture's drawing depends on. */
export function Shapes(props: {
  original: Original;
  asked: string;
  choice: Traced;
  onChange: (choice: Traced) => void;
}) {
  const { original, choice, onChange } = props;
  const [edited, setEdited] = useState<{ ink: Ink; at: HTMLElement }>();
  const traced = useQuery({
    queryKey: ["trace", original.id, props.asked],
    queryFn: ({ signal }) =>
      answered(api.GET("/api/v1/originals/{id}/trace", { params: { path: { id: original.id } }, signal })),
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: Infinity,
    gcTime: 60_000,
  });
  if (traced.error) {
    return (
      <Column width={300}>
        <Typography variant="body2">{sentence(traced.error)}</Typography>
      </Column>
    );
  }
  const inks = traced.data?.inks ?? [];
  const print = (ink: Ink) =>
    onChange({ ...choice, inks: [...(choice.inks ?? []).filter((other) => other.found !== ink.found), ink] });
  const asFound = (found: string) =>
    onChange({ ...choice, inks: (choice.inks ?? []).filter((other) => other.found !== found) });
  return (
    <>
      <Column width={260}>
        <MostColours
          value={choice.colours ?? rules().traced_colours.most}
          onChange={(colours) => onChange({ ...choice, colours })}
        />
        <Tooltip
          title="What the files are laid on shows through. The picture itself has white paper there."
          placement="right"
        >
          <FormControlLabel
            control={
              <Switch
                size="small"
                checked={choice.clear ?? false}
                onChange={(_, clear) => onChange({ ...choice, clear })}
              />
            }
            label={<Typography variant="body2">Clear ground</Typography>}
            sx={{ ml: -1 }}
          />
        </Tooltip>
        <Stack direction="row" spacing={1}>
          <SaveButton original={original} ending="svg" />
          <SaveButton original={original} ending="pdf" />
        </Stack>
      </Column>
      <Column width={300} grow={1}>
        <Typography variant="body2" role="status">
          {traced.data
            ? `${counted(traced.data.outlines, "outline")}, ${counted(traced.data.nodes, "node")}, ${bytes(traced.data.bytes)}; sharp at any size.`
            : "The picture is being traced."}
        </Typography>
        <Stack direction="row" useFlexGap spacing={0.75} role="list" aria-label="Colours" sx={{ flexWrap: "wrap" }}>
          {inks.map((ink) => (
            <Box key={ink.found} role="listitem">
              <Swatch ink={ink} onClick={(at) => setEdited({ ink, at })} />
            </Box>
          ))}
        </Stack>
        {inks.length > 0 && (
          <Typography variant="caption" sx={{ color: "text.secondary" }}>
            Choose a colour to print it as another, or as a spot colour.
          </Typography>
        )}
      </Column>
      {edited && (
        <InkPopover
          ink={inks.find((ink) => ink.found === edited.ink.found) ?? edited.ink}
          others={[...new Set(inks.map((ink) => ink.printed))].filter((printed) => printed !== edited.ink.printed)}
          at={edited.at}
          onPrint={print}
          onAsFound={() => asFound(edited.ink.found)}
          onClose={() => setEdited(undefined)}
        />
      )}
    </>
  );
}

/** Each number of colours is a tracing of its own: only where the slider rests. */
function MostColours({ value, onChange }: { value: number; onChange: (value: number) => void }) {
  const [moved, setMoved] = useState<number>();
  const rests = useRef<ReturnType<typeof setTimeout>>(undefined);
  const move = (colours: number) => {
    setMoved(colours);
    clearTimeout(rests.current);
    rests.current = setTimeout(() => {
      setMoved(undefined);
      onChange(colours);
    }, RESTS_MS);
  };
  return (
    <Dial
      label="Colours at most"
      effect="Fewer leave out those that cover least: their places go to the colours around them."
      value={moved ?? value}
      min={rules().traced_colours.least}
      max={rules().traced_colours.most}
      step={1}
      format={(v) => v.toFixed(0)}
      onChange={move}
    />
  );
}

/** What a colour is printed as; where that is another than was found, the found one in its corner. */
function Swatch({ ink, onClick }: { ink: Ink; onClick: (at: HTMLElement) => void }) {
  const name = ink.name ? `${ink.printed}, ${ink.name}` : ink.printed;
  const changed = ink.found !== ink.printed;
  const label = changed ? `${ink.found} printed as ${name}` : name;
  return (
    <Tooltip title={label}>
      <ButtonBase
        aria-label={label}
        onClick={(event) => onClick(event.currentTarget)}
        sx={{
          width: 32,
          height: 24,
          border: 1,
          borderColor: "text.secondary",
          background: changed ? `linear-gradient(to bottom right, ${ink.found} 30%, ${ink.printed} 30%)` : ink.printed,
        }}
      />
    </Tooltip>
  );
}

function InkPopover(props: {
  ink: Ink;
  others: string[];
  at: HTMLElement;
  onPrint: (ink: Ink) => void;
  onAsFound: () => void;
  onClose: () => void;
}) {
  const { ink } = props;
  const [printed, setPrinted] = useState(ink.printed);
  const [name, setName] = useState(ink.name ?? "");
  const usable = new RegExp(rules().colour_pattern).test(printed);
  const changed = printed.toLowerCase() !== ink.printed || name !== (ink.name ?? "");
  const done = () => {
    if (usable && changed) props.onPrint({ found: ink.found, printed: printed.toLowerCase(), name });
    props.onClose();
  };
  return (
    <Popover
      open
      anchorEl={props.at}
      onClose={done}
      anchorOrigin={{ vertical: "top", horizontal: "left" }}
      transformOrigin={{ vertical: "bottom", horizontal: "left" }}
      slotProps={{ paper: { sx: { p: 2, width: 300 }, "aria-label": `Printing ${ink.found}` } }}
    >
      <Stack component="form" spacing={1.5} onSubmit={(event) => (event.preventDefault(), done())}>
        <Stack direction="row" spacing={1}>
          <TextField
            type="color"
            label="Printed as"
            value={usable ? printed.toLowerCase() : ink.found}
            onChange={(event) => setPrinted(event.target.value)}
            sx={{ width: 88 }}
          />
          <TextField
            label="As #rrggbb"
            value={printed}
            error={!usable}
            helperText={usable ? undefined : "Six digits of 0 to 9 and a to f"}
            onChange={(event) => setPrinted(event.target.value.trim())}
            sx={{ flex: 1 }}
          />
        </Stack>
        <TextField
          label="Name of the spot colour"
          value={name}
          helperText="Where it is an ink of its own; PDF and SVG carry the name"
          slotProps={{ htmlInput: { maxLength: rules().longest_ink_name } }}
          onChange={(event) => setName(event.target.value)}
        />
        {props.others.length > 0 && (
          <Stack direction="row" useFlexGap spacing={0.75} sx={{ flexWrap: "wrap", alignItems: "center" }}>
            <Typography variant="caption">The same as</Typography>
            {props.others.map((other) => (
              <ButtonBase
                key={other}
                aria-label={`The same as ${other}`}
                onClick={() => setPrinted(other)}
                sx={{ width: 24, height: 18, border: 1, borderColor: "text.secondary", bgcolor: other }}
              />
            ))}
          </Stack>
        )}
        <Stack direction="row" spacing={1} sx={{ justifyContent: "flex-end" }}>
          <Button color="inherit" onClick={() => (props.onAsFound(), props.onClose())}>
            As found
          </Button>
          <Button type="submit" disabled={!usable}>
            Print so
          </Button>
        </Stack>
      </Stack>
    </Popover>
  );
}

function SaveButton({ original, ending }: { original: Original; ending: "svg" | "pdf" }) {
  const name = `${original.name.replace(/\.[^.]+$/, "")}.${ending}`;
  return (
    <Tooltip title={`Save ${name}: at the print's size, where there is one`}>
      <Button
        component="a"
        href={`/api/v1/originals/${original.id}/trace.${ending}`}
        download={name}
        variant="outlined"
        startIcon={<DownloadIcon />}
        aria-label={`Save ${name}`}
      >
        {ending.toUpperCase()}
      </Button>
    </Tooltip>
  );
}
