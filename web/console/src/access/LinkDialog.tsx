import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, dataOf, problemOf, type Feed, type FeedLink } from "../api/client";
import { linksQuery } from "../api/queries";
import { FormDialog } from "../parts/FormDialog";
import { deliveries, listOf, type Delivery } from "./audiences";
import { localTime } from "./times";

interface Values {
  name: string;
  ends: string; // as a datetime-local field has it
  sites: string;
  only: Delivery[];
  most: string;
}

function valuesOf(l: FeedLink | undefined): Values {
  return { name: l?.name ?? "", ends: l?.ends ? localTime(new Date(l.ends)) : "", sites: l?.sites?.join(", ") ?? "", only: (l?.deliveries ?? []) as Delivery[], most: l?.most ? String(l.most) : "" };
}

function bodyOf(v: Values) {
  return { ends: v.ends ? new Date(v.ends).toISOString() : undefined, sites: listOf(v.sites), deliveries: v.only, most: Math.round(Number(v.most)) };
}

interface LinkDialogProps {
  feed: Feed;
  link?: FeedLink;
  onClose: () => void;
  onDone: (link: FeedLink) => void;
}

/** Makes a link, or changes what one lets its viewers do. */
export function LinkDialog({ feed, link, onClose, onDone }: LinkDialogProps) {
  const queries = useQueryClient();
  const [values, setValues] = useState(() => valuesOf(link));
  const put = (part: Partial<Values>) => setValues({ ...values, ...part });
  const save = useMutation({
    mutationFn: async () => {
      const body = bodyOf(values);
      if (link) return dataOf(await client.PUT("/api/v1/feeds/{name}/links/{link}", { params: { path: { name: feed.name, link: link.name } }, body }));
      return dataOf(await client.POST("/api/v1/feeds/{name}/links", { params: { path: { name: feed.name } }, body: { ...body, name: values.name } }));
    },
    onSuccess: async (made) => {
      await queries.invalidateQueries({ queryKey: linksQuery(feed.name).queryKey });
      onDone(made);
    },
  });
  const problem = save.isError ? problemOf(save.error) : undefined;
  const field = (name: string, hint: string) => ({ error: Boolean(problem?.fields[name]), helperText: problem?.fields[name] ?? hint });
  return (
    <FormDialog title={link ? `Link “${link.name}”` : `A link for “${feed.title}”`} action={link ? "Save" : "Make the link"} pending={save.isPending} problem={problem} width="xs" onSubmit={() => save.mutate()} onClose={onClose}>
      {!link && <TextField label="What it is for" value={values.name} onChange={(e) => put({ name: e.target.value })} required autoFocus {...field("name", "Small letters, digits and hyphens, such as town-hall")} />}
      <TextField
        label="Ends"
        type="datetime-local"
        value={values.ends}
        onChange={(e) => put({ ends: e.target.value })}
        slotProps={{ inputLabel: { shrink: true } }}
        {...field("ends", "Empty: when somebody ends it")}
      />
      <TextField label="Only on these sites" value={values.sites} onChange={(e) => put({ sites: e.target.value })} {...field("sites", "Such as example.org; empty for those of the feed")} />
      <TextField
        select
        label="Opens"
        value={values.only}
        onChange={(e) => put({ only: e.target.value as unknown as Delivery[] })}
        slotProps={{ select: { multiple: true, displayEmpty: true, renderValue: (v) => (v as string[]).join(", ") || "all that the feed gives" }, inputLabel: { shrink: true } }}
        {...field("deliveries", "")}
      >
        {deliveries.map((d) => (
          <MenuItem key={d.key} value={d.key}>
            {d.label}
          </MenuItem>
        ))}
      </TextField>
      <TextField label="Viewers at a time" type="number" value={values.most} onChange={(e) => put({ most: e.target.value })} slotProps={{ htmlInput: { min: 0 } }} {...field("most", "Empty: no limit of its own")} />
    </FormDialog>
  );
}
