import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Stack from "@mui/material/Stack";
import type { FormEvent, ReactNode } from "react";

import type { Problem } from "../api/client";
import { ProblemBox } from "./ProblemBox";

interface FormDialogProps {
  title: string;
  /** What the button that sends the form says. */
  action: string;
  pending: boolean;
  problem: Problem | undefined;
  width?: "xs" | "sm";
  onSubmit: () => void;
  onClose: () => void;
  children: ReactNode;
}

/** A dialog with a form, and what was wrong with it when it was sent. */
export function FormDialog({ title, action, pending, problem, width = "sm", onSubmit, onClose, children }: FormDialogProps) {
  const submit = (e: FormEvent) => {
    e.preventDefault();
    e.stopPropagation(); // of a dialog over another one, too
    onSubmit();
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth={width} slotProps={{ paper: { component: "form", onSubmit: submit } }}>
      <DialogTitle>{title}</DialogTitle>
      <DialogContent>
        <Stack spacing={2} sx={{ pt: 1 }}>
          {children}
          {problem && <ProblemBox problem={problem} />}
        </Stack>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button type="submit" variant="contained" loading={pending}>
          {action}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
