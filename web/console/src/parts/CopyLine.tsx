import ContentCopyIcon from "@mui/icons-material/ContentCopy";
import IconButton from "@mui/material/IconButton";
import Stack from "@mui/material/Stack";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { useState } from "react";

/** Copies a text; where the browser keeps the clipboard from pages of plain HTTP, by a selection. */
export async function copyText(text: string): Promise<boolean> {
  try {
    if (navigator.clipboard) {
      await navigator.clipboard.writeText(text);
      return true;
    }
  } catch {
    // tried in the other way
  }
  const field = document.createElement("textarea");
  field.value = text;
  field.style.position = "fixed";
  (document.querySelector("[role=dialog]") ?? document.body).append(field); // a dialog keeps the focus within itself
  field.select();
  const done = document.execCommand("copy");
  field.remove();
  return done;
}

/** A text with a button that copies it. */
export function CopyButton({ label, text }: { label: string; text: string }) {
  const [copied, setCopied] = useState<boolean | null>(null);
  const said = copied === null ? "Copy" : copied ? "Copied" : "Copy it by hand: the browser does not let pages copy here";
  return (
    <Tooltip title={said} onClose={() => setCopied(null)}>
      <IconButton size="small" aria-label={`Copy: ${label}`} onClick={() => void copyText(text).then(setCopied)}>
        <ContentCopyIcon fontSize="inherit" />
      </IconButton>
    </Tooltip>
  );
}

export function CopyLine({ label, text }: { label: string; text: string }) {
  return (
    <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
      <Stack sx={{ minWidth: 0, flex: 1 }}>
        <Typography variant="caption" color="textSecondary">
          {label}
        </Typography>
        <Typography variant="body2" sx={{ overflowWrap: "anywhere" }}>
          {text}
        </Typography>
      </Stack>
      <CopyButton label={label} text={text} />
    </Stack>
  );
}
