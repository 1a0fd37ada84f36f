import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Stack from "@mui/material/Stack";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { LinkDialog } from "../access/LinkDialog";
import { service } from "../api/base";
import { problemOf, type Embedding, type Feed } from "../api/client";
import { embedQuery, linksQuery } from "../api/queries";
import { CopyButton } from "../parts/CopyLine";
import { ProblemBox } from "../parts/ProblemBox";
import { QrCode } from "../parts/QrCode";
import { AddressChoice } from "./AddressChoice";
import { EmbedFields } from "./EmbedFields";
import { emptyEmbed, optionsOf } from "./options";
import { useViewersBase } from "./useViewersBase";

const forms = [
  { key: "iframe", label: "Frame", means: "An iframe keeps the player apart from the page: the surest." },
  { key: "element", label: "Element", means: "The player as an element, which the page's scripts can control." },
  { key: "image", label: "Image", means: "Motion JPEG without any script: more bytes, no sound." },
  { key: "video", label: "Video", means: "HLS without any script, in browsers that play it themselves." },
  { key: "address", label: "Address", means: "For editors that make a frame of an address, and to send." },
  { key: "qr", label: "QR code", means: "For a phone." },
] as const;

type Form = (typeof forms)[number]["key"];

/** What puts a feed into a page: chosen, seen and copied. */
export function EmbedDialog({ feed, engineer, onClose }: { feed: Feed; engineer: boolean; onClose: () => void }) {
  const [values, setValues] = useState(emptyEmbed);
  const { addresses, base, setBase } = useViewersBase();
  const [making, setMaking] = useState(false);
  const [form, setForm] = useState<Form>("iframe");
  const links = useQuery({ ...linksQuery(feed.name), enabled: engineer });
  const options = optionsOf(values);
  const copied = useQuery(embedQuery(feed.name, { ...options, address: base }));
  const seen = useQuery(embedQuery(feed.name, { ...options, address: service })); // by the address that this page came by: no other may be shown in it
  const e = copied.data;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="lg">
      <DialogTitle>Put “{feed.title}” into a page</DialogTitle>
      <DialogContent>
        <Box sx={{ display: "grid", gap: 3, pt: 1, gridTemplateColumns: { xs: "minmax(0, 1fr)", md: "minmax(0, 5fr) minmax(0, 7fr)" } }}>
          <Stack spacing={2}>
            <EmbedFields feed={feed} links={links.data ?? []} values={values} onChange={setValues} onMakeLink={engineer ? () => setMaking(true) : undefined} />
            <AddressChoice addresses={addresses} value={base} onChange={setBase} />
          </Stack>
          <Stack spacing={1.5} sx={{ minWidth: 0 }}>
            <Tabs value={form} onChange={(_, v) => setForm(v as Form)} variant="scrollable" scrollButtons="auto" aria-label="What to copy">
              {forms.map((f) => (
                <Tab key={f.key} value={f.key} label={f.label} />
              ))}
            </Tabs>
            <Typography variant="body2" color="textSecondary">
              {forms.find((f) => f.key === form)?.means}
            </Typography>
            {copied.isError && <ProblemBox problem={problemOf(copied.error)} />}
            {e && <Snippet form={form} embedding={e} />}
            {seen.data && form !== "address" && form !== "qr" && <Preview html={textOf(form, seen.data)} sites={feed.sites} title={feed.title} />}
            {e?.notes?.map((n) => (
              <Alert key={n} severity="info" variant="outlined" sx={{ py: 0 }}>
                {n}
              </Alert>
            ))}
          </Stack>
        </Box>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close</Button>
      </DialogActions>
      {making && (
        <LinkDialog
          feed={feed}
          onClose={() => setMaking(false)}
          onDone={(link) => {
            setMaking(false);
            setValues({ ...values, link: link.name });
          }}
        />
      )}
    </Dialog>
  );
}

function textOf(form: Form, e: Embedding): string {
  return (form === "qr" ? e.address : e[form]) ?? "";
}

function Snippet({ form, embedding }: { form: Form; embedding: Embedding }) {
  const text = textOf(form, embedding);
  if (!text) return <Alert severity="info">This feed, or the link, does not give what this needs.</Alert>;
  return (
    <Stack direction="row" spacing={1} sx={{ alignItems: "start" }}>
      {form === "qr" ? (
        <QrCode text={text} size={220} />
      ) : (
        <Box component="pre" data-snippet sx={{ flex: 1, minWidth: 0, m: 0, p: 1.5, borderRadius: 1, bgcolor: "action.hover", fontSize: "0.8rem", whiteSpace: "pre-wrap", overflowWrap: "anywhere" }}>
          {text}
        </Box>
      )}
      <CopyButton label={form} text={text} />
    </Stack>
  );
}

/**
 * The very snippet, in a page of its own that is nobody's: what would need a sign-in shows
 * nothing there, as in pages of other sites. Where sites are named, a page of nobody is
 * none of them, so it is one of the service's own.
 */
function Preview({ html, sites, title }: { html: string; sites: string[]; title: string }) {
  if (!html) return null;
  const page = `<!doctype html><html lang="en"><title>Preview</title><style>html,body{margin:0;background:transparent}img,video{background:#0c1214}</style>${html}</html>`;
  return (
    <Box
      key={page}
      component="iframe"
      title={`Preview of ${title}`}
      srcDoc={page}
      sandbox={sites.length > 0 ? "allow-scripts allow-same-origin" : "allow-scripts"}
      allow="autoplay; fullscreen; picture-in-picture"
      sx={{ width: "100%", aspectRatio: "16 / 9", border: 1, borderColor: "divider", borderRadius: 1 }}
    />
  );
}
