import { Field, Flex, Input, NativeSelect, VisuallyHidden } from "@chakra-ui/react";
import type { MeasureUnit } from "../api/client";
import { symbols } from "../words/figures";

interface Common {
  label: string;
  /** Read to screen readers only, where a head stands above. */
  hidden?: boolean | undefined;
  error?: string | undefined;
  width?: string;
  /** What helps beneath the line. */
  hint?: string | undefined;
}

function Label({ hidden, children }: { hidden: boolean | undefined; children: string }) {
  if (hidden) {
    return (
      <VisuallyHidden asChild>
        <Field.Label>{children}</Field.Label>
      </VisuallyHidden>
    );
  }
  return <Field.Label fontSize="13px">{children}</Field.Label>;
}

/** A line to write on, with its label above and what is wrong beneath. */
export function TextField(
  p: Common & {
    value: string;
    onChange: (value: string) => void;
    type?: string;
    max?: string;
    figures?: boolean;
    placeholder?: string;
    maxLength?: number;
    autoComplete?: string;
  },
) {
  return (
    <Field.Root invalid={Boolean(p.error)} width={p.width ?? "auto"}>
      <Label hidden={p.hidden}>{p.label}</Label>
      <Input
        size="sm"
        minH="44px"
        borderRadius="0"
        borderColor="faint"
        type={p.type ?? "text"}
        max={p.max}
        maxLength={p.maxLength}
        inputMode={p.figures ? "decimal" : undefined}
        autoComplete={p.autoComplete ?? "off"}
        className={p.figures ? "figures" : undefined}
        textAlign={p.figures ? "right" : undefined}
        placeholder={p.placeholder}
        value={p.value}
        onChange={(e) => p.onChange(e.target.value)}
      />
      {p.hint && !p.error && <Field.HelperText color="faint">{p.hint}</Field.HelperText>}
      <Field.ErrorText color="alarm">{p.error}</Field.ErrorText>
    </Field.Root>
  );
}

/** A choice among few. */
export function SelectField<T extends string>(
  p: Common & {
    value: T | "";
    options: readonly (readonly [T, string])[];
    onChange: (value: T) => void;
    /** How the empty choice reads, when it may stay empty. */
    unsaid?: string | undefined;
  },
) {
  return (
    <Field.Root invalid={Boolean(p.error)} width={p.width ?? "auto"}>
      <Label hidden={p.hidden}>{p.label}</Label>
      <NativeSelect.Root size="sm">
        <NativeSelect.Field
          minH="44px"
          borderRadius="0"
          borderColor="faint"
          bg="page"
          value={p.value}
          onChange={(e) => p.onChange(e.target.value as T)}
        >
          {p.unsaid !== undefined && <option value="">{p.unsaid}</option>}
          {p.unsaid === undefined && p.value === "" && !p.options.some(([v]) => v === "") && (
            <option value="">choose</option>
          )}
          {p.options.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
      <Field.ErrorText color="alarm">{p.error}</Field.ErrorText>
    </Field.Root>
  );
}

/** A figure with the unit it was read in. */
export function ReadingField(
  p: Common & {
    value: string;
    unit: MeasureUnit;
    units: readonly MeasureUnit[];
    onValue: (value: string) => void;
    onUnit: (unit: MeasureUnit) => void;
    placeholder?: string;
  },
) {
  return (
    <Flex align="flex-start" gap="0">
      <TextField
        label={p.label}
        hidden={p.hidden}
        error={p.error}
        width={p.width ?? "120px"}
        figures
        value={p.value}
        onChange={p.onValue}
        placeholder={p.placeholder ?? ""}
      />
      <SelectField
        label={p.hidden ? `unit of ${p.label}` : "in"}
        hidden={p.hidden}
        width={p.units.length > 1 ? "94px" : "100px"}
        value={p.unit}
        options={p.units.map((u) => [u, symbols[u]] as const)}
        onChange={p.onUnit}
      />
    </Flex>
  );
}
