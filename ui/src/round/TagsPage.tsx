import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { type Schemas, api } from "../api/client";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";

/** Labels of units with the QR code of their address, to be printed from the page or as a PDF. */
export function TagsPage() {
  const [params] = useSearchParams();
  const query = { site: params.get("site") ?? undefined, unit: params.getAll("unit") };
  const tags = useQuery({ queryKey: ["tags", query], queryFn: ({ signal }) => api.tags(query, signal), retry: false });
  const address = (layout: string) => {
    const p = new URLSearchParams({ layout });
    if (query.site) p.set("site", query.site);
    query.unit.forEach((u) => p.append("unit", u));
    return `/api/v1/tags/sheet?${p.toString()}`;
  };
  return (
    <Frame title="Labels" head={query.site ?? query.unit.join(", ")} here="round">
      <p className="buttons-row no-print">
        <button type="button" className="choice" onClick={() => window.print()}>
          print this page
        </button>
        <a className="choice" href={address("a4")} target="_blank" rel="noreferrer">
          A4 sheets (PDF)
        </a>
        <a className="choice" href={address("single")} target="_blank" rel="noreferrer">
          single labels (PDF)
        </a>
      </p>
      {tags.isPending && <Waiting what="the labels" />}
      {tags.error && <Failed error={tags.error} again={() => void tags.refetch()} />}
      {tags.data?.length === 0 && (
        <p className="faint">No unit is asked for: choose a site under Round, or a unit from its account.</p>
      )}
      <ul className="tags">
        {tags.data?.map((t) => (
          <li key={t.unit.code}>
            <Code modules={t.modules} of={t.unit.code} />
            <div>
              <b className="figures">{t.unit.code}</b>
              <span>{t.unit.name}</span>
              {t.lines.map((l) => (
                <span key={l}>{l}</span>
              ))}
            </div>
          </li>
        ))}
      </ul>
    </Frame>
  );
}

function Code({ modules, of }: { modules: Schemas["Tag"]["modules"]; of: string }) {
  const path = modules
    .flatMap((row, y) => [...row.matchAll(/1+/g)].map((m) => `M${m.index} ${y}h${m[0].length}v1h-${m[0].length}z`))
    .join("");
  return (
    <svg
      viewBox={`0 0 ${modules.length} ${modules.length}`}
      role="img"
      aria-label={`QR code of ${of}`}
      shapeRendering="crispEdges"
    >
      <rect width={modules.length} height={modules.length} fill="#fff" />
      <path d={path} fill="#000" />
    </svg>
  );
}
