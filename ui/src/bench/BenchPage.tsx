import { Box, Button, Collapsible, Flex, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useSearchParams } from "react-router";
import { Problem, type Schemas, api } from "../api/client";
import { SelectField, TextField } from "../account/fields";
import { Cautions } from "../frame/Cautions";
import { Frame } from "../frame/Frame";
import { useSettled } from "../frame/settled";
import { Failed, Waiting } from "../frame/State";
import { CurveDrawing } from "./CurveDrawing";
import { type UnitSystem, systemNames, useUnitSystem } from "./units";

type Question = Schemas["Question"];
type Field = Schemas["Field"];
type Answer = Schemas["Answer"];

/** What was given so far, by name; "q", "units" and "unit" among it. */
type Told = Readonly<Record<string, string>>;

/**
 * What was given, begun from the address and written back to it once it has stood still for a moment, so that the
 * address reopens the same sum and no key typed meanwhile is lost.
 */
function useTold(): [Told, (part: Told) => void] {
  const [params, setParams] = useSearchParams();
  const [told, setTold] = useState<Told>(() => Object.fromEntries(params));
  const settled = useSettled(JSON.stringify(told));
  useEffect(() => {
    setParams(JSON.parse(settled) as Told, { replace: true });
    // setParams is made anew at each change of the address; only what settled counts.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [settled]);
  return [told, (part) => setTold((before) => ({ ...before, ...part }))];
}

/** The calculator: a question first, then what it has to be given, and the answer as you type. Its state is its address. */
export function BenchPage() {
  const questions = useQuery({
    queryKey: ["bench"],
    queryFn: ({ signal }) => api.questions(signal),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const [told, tell] = useTold();
  const [units, chooseUnits] = useUnitSystem(told.units ?? null);
  const question = questions.data?.find((q) => q.name === told.q) ?? questions.data?.[0];
  const head = told.unit ? `filled in from the account of ${told.unit}` : "every coolant sum, with its source";
  return (
    <Frame title="Bench" head={head} here="bench">
      {questions.isPending && <Waiting what="the Bench" />}
      {questions.error && <Failed error={questions.error} again={() => void questions.refetch()} />}
      {question && questions.data && (
        <Flex gap={{ base: "16px", lg: "30px" }} direction={{ base: "column", lg: "row" }} align="flex-start">
          <Box w={{ base: "100%", lg: "200px" }} flexShrink={0}>
            <Asked questions={questions.data} current={question} ask={(q) => tell({ q })} />
            <Box mt={{ base: "8px", lg: "16px" }}>
              <SelectField
                label="read and written in"
                value={units}
                options={systemNames}
                onChange={(s: UnitSystem) => {
                  chooseUnits(s);
                  tell({ units: s });
                }}
              />
            </Box>
          </Box>
          <Sum
            key={question.name}
            question={question}
            units={units}
            told={told}
            change={(name, value) => tell({ q: question.name, units, [name]: value })}
          />
        </Flex>
      )}
    </Frame>
  );
}

/** The questions; each keeps what was given so far. On a narrow screen, a choice. */
function Asked({
  questions,
  current,
  ask,
}: {
  questions: readonly Question[];
  current: Question;
  ask: (q: string) => void;
}) {
  return (
    <>
      <Box hideFrom="lg">
        <SelectField
          label="question"
          value={current.name}
          options={questions.map((q) => [q.name, q.title] as const)}
          onChange={ask}
        />
      </Box>
      <Box as="ul" listStyleType="none" aria-label="Questions" hideBelow="lg">
        {questions.map((q) => {
          const here = q.name === current.name;
          return (
            <Box as="li" key={q.name} borderBottomWidth="1px" borderColor="rule">
              <Button
                variant="ghost"
                w="100%"
                h="auto"
                minH="44px"
                justifyContent="flex-start"
                textAlign="left"
                whiteSpace="normal"
                borderRadius="0"
                fontSize="15px"
                color={here ? "ink" : "accent"}
                fontWeight={here ? "700" : "400"}
                px="10px"
                borderWidth="0"
                borderLeftWidth="4px"
                borderLeftColor={here ? "accent" : "transparent"}
                data-line=""
                aria-current={here ? "true" : undefined}
                onClick={() => ask(q.name)}
              >
                {q.title}
              </Button>
            </Box>
          );
        })}
      </Box>
    </>
  );
}

interface SumProps {
  question: Question;
  units: UnitSystem;
  told: Told;
  change: (name: string, value: string) => void;
}

function Sum({ question, units, told, change }: SumProps) {
  const valueOf = (f: Field) => told[f.name] ?? f.initial;
  const shown = question.fields.filter((f) => {
    const by = question.fields.find((o) => o.name === f.shownBy);
    return !by || (f.shownFor ?? []).includes(valueOf(by));
  });
  const inputs: Record<string, string> = {};
  for (const f of shown) {
    const text = told[f.name];
    if (text !== undefined) inputs[f.name] = text;
  }
  const settled = useSettled(JSON.stringify(inputs));
  const answer = useQuery({
    queryKey: ["bench", question.name, units, settled],
    queryFn: ({ signal }) => api.ask(question.name, units, JSON.parse(settled) as Record<string, string>, signal),
    placeholderData: (previous) => previous,
    retry: false,
  });
  const errors: Record<string, string> = {};
  if (answer.error instanceof Problem) {
    for (const f of answer.error.fields) {
      errors[f.pointer.replace("/inputs/", "")] = f.accepted ? `${f.detail}; accepted: ${f.accepted}` : f.detail;
    }
  }
  return (
    <Flex flex="1" minW="0" w="100%" gap="30px" direction={{ base: "column", xl: "row" }} align="flex-start">
      <Box flex="1" minW="0" w="100%">
        <Text as="h2" fontSize="18px" fontWeight="700" borderBottomWidth="1px" borderColor="ink" pb="4px" mb="12px">
          {question.title}
        </Text>
        <Box
          display="grid"
          gridTemplateColumns="repeat(auto-fill, minmax(140px, 1fr))"
          gap="12px"
          alignItems="start"
          mb="18px"
        >
          {shown.map((f) => (
            <Box key={f.name} gridColumn={isLong(f) ? "span 2" : undefined}>
              {f.options.length > 0 ? (
                <SelectField
                  label={f.label}
                  width="100%"
                  value={valueOf(f)}
                  options={f.options.map((o) => [o.value, o.label] as const)}
                  onChange={(v) => change(f.name, v)}
                  error={errors[f.name]}
                />
              ) : (
                <TextField
                  label={f.label}
                  hint={f.hint}
                  width="100%"
                  maxLength={400}
                  value={valueOf(f)}
                  onChange={(v) => change(f.name, v)}
                  error={errors[f.name]}
                />
              )}
            </Box>
          ))}
        </Box>
        <Box aria-live="polite" data-testid="answer">
          {answer.error && Object.keys(errors).length === 0 && <Failed error={answer.error} />}
          {answer.error && Object.keys(errors).length > 0 && (
            <Text color="alarm">No answer yet: see the field marked above.</Text>
          )}
          {answer.data && !answer.error && <Worded answer={answer.data} />}
        </Box>
      </Box>
      <Box w={{ base: "100%", xl: "400px" }} flexShrink={0}>
        {answer.data?.curve && !answer.error && <CurveDrawing curve={answer.data.curve} />}
        <Cautions lines={question.cautions} />
      </Box>
    </Flex>
  );
}

/** Whether a field needs the room of two to be read. */
function isLong(f: Field): boolean {
  return (
    Math.max(f.initial.length, f.label.length - 4, (f.hint?.length ?? 0) / 2, ...f.options.map((o) => o.label.length)) >
    18
  );
}

/** The answer, its figures, what to mind, and the sum laid open. */
function Worded({ answer }: { answer: Answer }) {
  return (
    <>
      <Text fontSize="22px" fontWeight="700" lineHeight="1.25" mb="8px" data-testid="headline">
        {answer.headline}
        {answer.read && answer.read.length > 0 && (
          <Text as="span" display="block" fontSize="15px" fontWeight="400" color="faint" data-testid="read">
            Read as: {answer.read.map((l) => `${l.label} ${l.text}`).join(" · ")}
          </Text>
        )}
      </Text>
      <Box as="dl" maxW="640px">
        {answer.lines.map((l, i) => (
          <Flex key={`${l.label} ${i}`} gap="14px" borderBottomWidth="1px" borderColor="rule" py="4px" wrap="wrap">
            <Text as="dt" color="faint" w="190px">
              {l.label}
            </Text>
            <Text as="dd" flex="1" minW="180px" fontVariantNumeric="tabular-nums">
              {l.text}
            </Text>
          </Flex>
        ))}
      </Box>
      {answer.warnings.length > 0 && (
        <Box as="ul" mt="12px" pl="12px" borderLeftWidth="4px" borderColor="alarm" listStyleType="none">
          {answer.warnings.map((w) => (
            <li key={w}>{w}</li>
          ))}
        </Box>
      )}
      <Collapsible.Root mt="12px">
        <Flex gap="10px">
          <Collapsible.Trigger asChild>
            <Button variant="ghost" size="sm" color="accent" fontWeight="700" px="0" minH="44px">
              show the sum
            </Button>
          </Collapsible.Trigger>
          <CopyLink />
        </Flex>
        <Collapsible.Content>
          <Box as="ol" data-testid="steps" listStyleType="none">
            {answer.steps.map((s, i) => (
              <Box as="li" key={`${s.what} ${i}`} borderBottomWidth="1px" borderColor="rule" py="6px">
                <b>{s.what}</b>: {s.formula}
                {s.numbers && <Box className="figures">{s.numbers}</Box>}
                <Text color="faint" fontSize="13px">
                  {s.source}
                </Text>
              </Box>
            ))}
          </Box>
        </Collapsible.Content>
      </Collapsible.Root>
    </>
  );
}

function CopyLink() {
  const [state, setState] = useState<"ready" | "copied" | "refused">("ready");
  const words = { ready: "copy a link to this sum", copied: "copied", refused: "copy it from the address line" };
  return (
    <Button
      variant="ghost"
      size="sm"
      color="faint"
      minH="44px"
      onClick={() => {
        navigator.clipboard.writeText(window.location.href).then(
          () => setState("copied"),
          () => setState("refused"),
        );
      }}
    >
      {words[state]}
    </Button>
  );
}
