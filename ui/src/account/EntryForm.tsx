import { Box, Button, Checkbox, Flex, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type SyntheticEvent, useEffect, useRef, useState } from "react";
import { type Account, type EntryKind, type MeasureUnit, Problem, api } from "../api/client";
import { useSettled } from "../frame/settled";
import { kindNames } from "../words/lines";
import { type Draft, type FieldErrors, asLocalInput, emptyDraft, newId, rememberUnits, toEntry } from "./draft";
import { EffectOf } from "./EffectOf";
import { ReadingField, SelectField, TextField } from "./fields";

const volumeUnits: readonly MeasureUnit[] = ["L", "mL", "qt_us", "gal_us", "qt_imp", "gal_imp"];
const temperatureUnits: readonly MeasureUnit[] = ["degC", "degF"];

/** The kinds in the order of how often they are written, each with its key. */
export const entryKeys: readonly (readonly [EntryKind, string])[] = [
  ["freeze_test", "f"],
  ["top_up", "u"],
  ["meter", "o"],
  ["loss", "l"],
  ["fill", "r"],
];

interface Props {
  account: Account;
  kind: EntryKind;
  onKind: (kind: EntryKind) => void;
  onClose: () => void;
}

/** Writes one entry; tells what it will do while it is being typed, by asking the server. */
export function EntryForm({ account, kind, onKind, onClose }: Props) {
  const [draft, setDraft] = useState<Draft>(() => emptyDraft(kind, account));
  const [id, setId] = useState(newId);
  const [written, setWritten] = useState("");
  const form = useRef<HTMLFormElement>(null);
  const queries = useQueryClient();
  const products = useQuery({
    queryKey: ["products"],
    queryFn: ({ signal }) => api.products(signal),
    staleTime: 60_000,
  });
  const current: Draft = { ...draft, kind };
  const settled = JSON.parse(useSettled(JSON.stringify(current))) as Draft;
  const code = account.unit.code;
  const readable = toEntry(settled, id, products.data ?? []);
  const preview = useQuery({
    queryKey: ["preview", code, id, settled, account.lines.length],
    queryFn: ({ signal }) => {
      if (!readable || !("entry" in readable)) throw new Error("there is nothing to preview yet");
      return api.preview(code, readable.entry, signal);
    },
    enabled: readable !== undefined && "entry" in readable,
    placeholderData: (previous) => previous,
    retry: false,
  });
  const write = useMutation({
    mutationFn: async () => {
      const now = toEntry(current, id, products.data ?? []);
      if (!now) throw new Error("The figure is still missing.");
      if ("errors" in now) throw new Error(Object.values(now.errors).join(" "));
      return api.write(code, now.entry);
    },
    onSuccess: async () => {
      rememberUnits(current);
      setWritten(`${kindNames[kind]} written.`);
      setDraft(emptyDraft(kind, account));
      setId(newId());
      await queries.invalidateQueries({ queryKey: ["account", code] });
      await queries.invalidateQueries({ queryKey: ["morning"] });
    },
  });
  // A new kind puts the cursor on its figure.
  useEffect(() => form.current?.querySelector<HTMLElement>("input[inputmode=decimal]")?.focus(), [kind]);

  function change(part: Partial<Draft>) {
    setWritten("");
    write.reset();
    setDraft({ ...current, ...part });
  }
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!write.isPending) write.mutate();
  }
  const refusal = write.error ?? (preview.isPlaceholderData ? null : preview.error);
  const errors = fieldErrors(readable, refusal);
  return (
    <Box asChild borderWidth="1px" borderColor="ink" p="14px" mt="14px">
      <form ref={form} onSubmit={submit} aria-label="Write an entry" noValidate>
        <Flex gap="4px" wrap="wrap" mb="12px" role="group" aria-label="Kind of entry">
          {entryKeys.map(([k, letter]) => (
            <Button
              key={k}
              size="sm"
              minH="44px"
              borderRadius="0"
              variant="ghost"
              color={k === kind ? "ink" : "accent"}
              borderWidth="0"
              borderBottomWidth="3px"
              borderBottomColor={k === kind ? "accent" : "transparent"}
              fontWeight={k === kind ? "700" : "400"}
              aria-pressed={k === kind}
              onClick={() => {
                setWritten("");
                write.reset();
                onKind(k);
              }}
            >
              {kindNames[k].toLowerCase()}
              <Text as="span" color="faint" aria-hidden="true">
                {letter}
              </Text>
            </Button>
          ))}
          <Box flex="1" />
          <Button size="sm" minH="44px" variant="ghost" color="faint" onClick={onClose}>
            close
          </Button>
        </Flex>
        <Flex gap="14px" wrap="wrap" align="flex-start">
          <KindFields
            draft={current}
            account={account}
            errors={errors}
            change={change}
            products={products.data ?? []}
          />
          <TextField
            label="when"
            type="datetime-local"
            width="200px"
            value={current.when || asLocalInput(new Date())}
            onChange={(when) => change({ when })}
            error={errors["/at"]}
          />
        </Flex>
        <Box minH="72px" mt="12px" aria-live="polite">
          {written && <Text fontWeight="700">{written}</Text>}
          {!refusal && readable && "entry" in readable && preview.data && !written && (
            <EffectOf effect={preview.data} site={account.unit.site} today={account.today} />
          )}
          {!readable && !written && (
            <Text color="faint">The line says what it does to the account as soon as its figure stands.</Text>
          )}
          {refusal && <Unplaced error={refusal} placed={errors} />}
        </Box>
        <Button
          type="submit"
          minH="44px"
          borderRadius="0"
          bg="ink"
          color="page"
          disabled={!readable || "errors" in readable || write.isPending}
        >
          {write.isPending ? "writing …" : "write it down"}
        </Button>
      </form>
    </Box>
  );
}

function KindFields(p: {
  draft: Draft;
  account: Account;
  errors: FieldErrors;
  change: (part: Partial<Draft>) => void;
  products: readonly { code: string; name: string; form: string }[];
}) {
  const { draft, errors, change } = p;
  const volume = (pointer: string, label: string) => (
    <ReadingField
      label={label}
      value={draft.volume}
      unit={draft.volumeUnit}
      units={volumeUnits}
      onValue={(v) => change({ volume: v })}
      onUnit={(u) => change({ volumeUnit: u })}
      error={errors[`${pointer}/value`] ?? errors[`${pointer}/unit`]}
    />
  );
  const meter = (pointer: string, label: string) => (
    <ReadingField
      label={label}
      value={draft.meter}
      unit={draft.meterUnit}
      units={p.account.meterUnit === "h" ? ["h"] : ["km", "mi"]}
      onValue={(v) => change({ meter: v })}
      onUnit={(u) => change({ meterUnit: u })}
      error={errors[`${pointer}/value`] ?? errors[`${pointer}/unit`] ?? errors[pointer]}
    />
  );
  const productOf = (pointer: string, forms: readonly string[]) => (
    <SelectField
      label="product"
      width="240px"
      value={p.products.some((o) => o.code === draft.product && forms.includes(o.form)) ? draft.product : ""}
      options={p.products.filter((o) => forms.includes(o.form)).map((o) => [o.code, o.name] as const)}
      onChange={(product) => change({ product })}
      error={errors[pointer]}
    />
  );
  switch (draft.kind) {
    case "freeze_test":
      return (
        <>
          <ReadingField
            label="line on the scale"
            value={draft.temperature}
            unit={draft.temperatureUnit}
            units={temperatureUnits}
            onValue={(v) => change({ temperature: v })}
            onUnit={(u) => change({ temperatureUnit: u })}
            placeholder="−37"
            error={errors["/freezeTest/temperature/value"]}
          />
          <SelectField
            label="scale of the refractometer"
            width="190px"
            value={draft.scale}
            options={[
              ["EG", "EG, ethylene glycol"],
              ["PG", "PG, propylene glycol"],
            ]}
            onChange={(scale) => change({ scale })}
            error={errors["/freezeTest/scale"]}
          />
        </>
      );
    case "top_up":
      return (
        <>
          {volume("/topUp/volume", "poured in")}
          <SelectField
            label="with"
            width="170px"
            value={draft.form}
            options={[
              ["water", "purified water"],
              ["premix", "premix"],
              ["concentrate", "concentrate"],
            ]}
            onChange={(form) => change({ form })}
            error={errors["/topUp/with"]}
          />
          {draft.form !== "water" && productOf("/topUp/product", [draft.form])}
        </>
      );
    case "loss":
      return (
        <>
          {volume("/loss/volume", "gone")}
          <TextField
            label="where it went"
            width="300px"
            maxLength={500}
            value={draft.note}
            onChange={(note) => change({ note })}
            error={errors["/loss/note"]}
          />
        </>
      );
    case "fill": {
      const concentrate = p.products.find((o) => o.code === draft.product)?.form === "concentrate";
      return (
        <>
          {volume("/fill/volume", "filled")}
          {productOf("/fill/product", ["premix", "concentrate"])}
          {concentrate && (
            <TextField
              label="% concentrate"
              width="110px"
              figures
              value={draft.share}
              onChange={(share) => change({ share })}
              error={errors["/fill/share"]}
            />
          )}
          {p.account.meterUnit && meter("/fill/meter", "meter (if read)")}
          <Checkbox.Root
            mt="34px"
            checked={draft.factory}
            onCheckedChange={(d) => change({ factory: d.checked === true })}
          >
            <Checkbox.HiddenInput />
            <Checkbox.Control borderColor="faint" />
            <Checkbox.Label>came with the unit</Checkbox.Label>
          </Checkbox.Root>
        </>
      );
    }
    case "meter":
      return meter("/meter/meter", "meter");
  }
}

/** Field errors of the draft itself, else those the server pointed at. */
function fieldErrors(readable: ReturnType<typeof toEntry>, refusal: Error | null): FieldErrors {
  if (readable && "errors" in readable) return readable.errors;
  if (!(refusal instanceof Problem)) return {};
  return Object.fromEntries(
    refusal.fields.map((f) => [f.pointer, f.accepted ? `${f.detail}; accepted: ${f.accepted}` : f.detail]),
  );
}

/** What was refused without a field of this form to stand under. */
function Unplaced({ error, placed }: { error: Error; placed: FieldErrors }) {
  if (error instanceof Problem && error.fields.length > 0) {
    const elsewhere = error.fields.filter((f) => f.pointer === "/id" || !(f.pointer in placed));
    if (elsewhere.length === 0) return <Text color="alarm">Not written yet: see the field above.</Text>;
  }
  return <Text color="alarm">{error.message}</Text>;
}
