import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type SyntheticEvent, useState } from "react";
import { TextField } from "../account/fields";
import { Problem, type Schemas, api } from "../api/client";
import { Failed, Waiting } from "../frame/State";
import { TakeAlong } from "../frame/TakeAlong";
import { download } from "../words/csv";
import { figure } from "../words/figures";
import { SectionHeading } from "./SectionHeading";

type Site = Schemas["SiteCold"];

/** The sites, what their cold rests on, and how cautious it is. */
export function Sites() {
  const sites = useQuery({ queryKey: ["sites"], queryFn: ({ signal }) => api.sites(signal) });
  return (
    <Box as="section" aria-label="Sites" mb="30px">
      <SectionHeading
        end={
          sites.data && (
            <TakeAlong
              what="the sites"
              file={(as) =>
                download(
                  as,
                  "sites",
                  [
                    "site",
                    "altitude, m",
                    "time zone",
                    "coldest night planned for, °C",
                    "return period, winters",
                    "cold",
                    "forecast",
                  ],
                  sites.data.map((s) => [
                    s.name,
                    s.altitude,
                    s.zone,
                    s.coldest,
                    s.returnPeriod,
                    s.coldText,
                    s.forecastText,
                  ]),
                )
              }
            />
          )
        }
      >
        Sites and their cold
      </SectionHeading>
      {sites.isPending && <Waiting what="the sites" />}
      {sites.error && <Failed error={sites.error} again={() => void sites.refetch()} />}
      {sites.data?.length === 0 && <Text py="12px">No site is in the register yet.</Text>}
      {sites.data?.map((s) => (
        <SiteLine key={s.id} site={s} />
      ))}
    </Box>
  );
}

function SiteLine({ site }: { site: Site }) {
  const [returnPeriod, setReturnPeriod] = useState(String(site.returnPeriod));
  const [zone, setZone] = useState(shownZone(site));
  const [water, setWater] = useState(() => shownWater(site));
  const queries = useQueryClient();
  const watered = waters.some((name) => water[name].trim() !== shownWater(site)[name]);
  const change = useMutation({
    mutationFn: async () => {
      const read = watered ? await api.numbers(water) : { values: {}, wrong: {} };
      const [wrong] = Object.entries(read.wrong);
      if (wrong)
        throw new Error(`“${water[wrong[0] as keyof Schemas["Water"]]}” is not accepted; accepted: ${wrong[1]}`);
      return api.changeSite(site.id, {
        ...(site.years > 0 ? { returnPeriod: Number(returnPeriod) } : {}),
        ...(zone.trim() === shownZone(site) ? {} : { zone: zone.trim() }),
        ...(watered ? { water: read.values } : {}),
      });
    },
    onSuccess: () => queries.invalidateQueries(),
  });
  /** The message of an earlier change does not belong to this one. */
  const type = (set: (text: string) => void) => (text: string) => {
    change.reset();
    set(text);
  };
  const number = /^\d+$/.test(returnPeriod.trim());
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (number && !change.isPending) change.mutate();
  }
  return (
    <Box borderBottomWidth="1px" borderColor="rule" py="6px" data-site={site.name}>
      <form onSubmit={submit} aria-label={`Cold of ${site.name}`} noValidate>
        <Flex gap="14px" rowGap="4px" align="center" wrap="wrap">
          <Box w="170px">
            <Text fontWeight="700">{site.name}</Text>
            <Text color="faint" fontSize="14px">
              {figure(site.altitude)} m
            </Text>
          </Box>
          <Box flex="1" minW="240px">
            <Text>{site.coldText}</Text>
            <Text color="faint" fontSize="14px">
              {site.forecastText}
            </Text>
            <Text color="faint" fontSize="14px">
              {site.waterText}
            </Text>
          </Box>
          <TextField
            label={`time zone of ${site.name}`}
            hidden
            width="170px"
            placeholder={`as the fleet: ${site.zone}`}
            value={zone}
            onChange={type(setZone)}
            error={change.error instanceof Problem ? change.error.refusalOf("/zone") : undefined}
          />
          <Flex align="center" gap="8px">
            {site.years > 0 && (
              <>
                <Text>return period, winters</Text>
                <TextField
                  label={`return period of ${site.name}, winters`}
                  hidden
                  figures
                  width="64px"
                  value={returnPeriod}
                  onChange={type(setReturnPeriod)}
                  error={
                    number
                      ? change.error instanceof Problem
                        ? change.error.refusalOf("/returnPeriod")
                        : undefined
                      : `“${returnPeriod}” is not a whole number`
                  }
                />
              </>
            )}
            <Button
              type="submit"
              size="sm"
              minH="44px"
              variant="ghost"
              color="accent"
              disabled={
                !number ||
                (returnPeriod.trim() === String(site.returnPeriod) && zone.trim() === shownZone(site) && !watered) ||
                change.isPending
              }
            >
              set it
            </Button>
          </Flex>
        </Flex>
        <details className="site-water">
          <summary>water for mixing, ppm</summary>
          <Flex gap="12px" wrap="wrap" py="6px">
            {waters.map((name) => (
              <TextField
                key={name}
                label={waterNames[name]}
                figures
                width="110px"
                value={water[name]}
                onChange={type((v) => setWater({ ...water, [name]: v }))}
                error={change.error instanceof Problem ? change.error.refusalOf(`/water/${name}`) : undefined}
              />
            ))}
          </Flex>
        </details>
        <Box aria-live="polite">
          {change.isSuccess && <Text color="faint">Changed; all clocks follow it.</Text>}
          {change.error && <Text color="alarm">{change.error.message}</Text>}
        </Box>
      </form>
    </Box>
  );
}

const waterNames = { hardness: "hardness", chloride: "chloride", sulphate: "sulphate", solids: "dissolved solids" };
const waters = Object.keys(waterNames) as (keyof typeof waterNames)[];

/** The water of a site as text by field; empty for what was not tested. */
const shownWater = (s: Site): Record<keyof typeof waterNames, string> => ({
  hardness: String(s.water.hardness ?? ""),
  chloride: String(s.water.chloride ?? ""),
  sulphate: String(s.water.sulphate ?? ""),
  solids: String(s.water.solids ?? ""),
});

/** The text of the field: empty for the fleet's zone. */
const shownZone = (s: Site) => (s.ownZone ? s.zone : "");
