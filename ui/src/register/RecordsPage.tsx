import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link as RouterLink, useParams, useSearchParams } from "react-router";
import { api } from "../api/client";
import { NoPage } from "../NoPage";
import { SelectField } from "../account/fields";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import { TakeAlong } from "../frame/TakeAlong";
import { TypedFilter } from "../frame/TypedFilter";
import { usePerson } from "../people/session";
import { type FileFormat, download } from "../words/csv";
import { figure } from "../words/figures";
import { RegisterIndex } from "./RegisterIndex";
import { StartingTypes } from "./StartingTypes";
import { type RecordKind, isRecordKind, kinds, recordPath } from "./records";

/** Records of a page, and of a file, at a time. */
const pageful = 100;
const most = 500;

/** The records of one kind. The filters are the address. */
export function RecordsPage() {
  const { of } = useParams();
  return isRecordKind(of) ? <Records key={of} of={of} /> : <NoPage />;
}

function Records({ of }: { of: RecordKind }) {
  const [query, setQuery] = useSearchParams();
  const person = usePerson();
  const queries = useQueryClient();
  const { many, one, title, columns } = kinds[of];
  const text = query.get("text") ?? "";
  const left = query.get("left") === "true";
  const offset = Number(query.get("offset") ?? "0") || 0;
  const filters = { ...(text && { text }), ...(left && { left }) };
  const list = useQuery({
    queryKey: ["records", of, filters, offset],
    queryFn: ({ signal }) => api.records(of, { ...filters, offset, limit: pageful }, signal),
    placeholderData: (before) => before,
  });
  const change = (values: Record<string, string>) =>
    setQuery(
      (before) => {
        const next = new URLSearchParams(before);
        next.delete("offset");
        for (const [name, value] of Object.entries(values)) {
          if (value) next.set(name, value);
          else next.delete(name);
        }
        return next;
      },
      { replace: true },
    );
  const file = async (as: FileFormat) => {
    const rows = [];
    for (;;) {
      const page = await api.records(of, { ...filters, offset: rows.length, limit: most });
      rows.push(...page.rows);
      if (page.rows.length < most) break;
    }
    await download(
      as,
      many,
      [of === "unit" ? "number" : of === "product" ? "code" : "name", ...columns.map(([, head]) => head)],
      rows.map((r) => [r.name, ...columns.map(([code]) => (code === "units" ? r.units : r.facts[code]))]),
    );
  };
  const data = list.data;
  const coordinator = person.role === "coordinator";
  return (
    <Frame title={title} head={data ? `${figure(data.total)} ${data.total === 1 ? one : many}` : many} here="register">
      <RegisterIndex here={of} />
      <div className="filters no-print" role="group" aria-label="Filters" style={{ paddingTop: "8px" }}>
        <TypedFilter label="text" value={text} onChange={(v) => change({ text: v })} />
        {of === "unit" && (
          <SelectField
            label="in the fleet or not"
            width="180px"
            value={left ? "true" : ""}
            options={[
              ["", "in the fleet"],
              ["true", "retired or sold"],
            ]}
            onChange={(v) => change({ left: v })}
          />
        )}
        {coordinator && (
          <RouterLink className="solid link-button" to={recordPath(of, "new")}>
            add a {one}
          </RouterLink>
        )}
        <TakeAlong what={many} file={file} />
      </div>
      {list.isPending && <Waiting what={many} />}
      {list.error && <Failed error={list.error} again={() => void list.refetch()} />}
      {data?.total === 0 && (
        <p className="wait">
          {text
            ? `No ${one} matches. Remove the filter.`
            : left
              ? "No unit has left the fleet."
              : `No ${one} is in the register yet.`}
        </p>
      )}
      {data && data.rows.length > 0 && (
        <div className="scrolled sheet-wide" tabIndex={0} role="region" aria-label={`${title} in a table`}>
          <table className="rows register-rows" aria-label={title}>
            <thead>
              <tr>
                <th>{of === "unit" ? "number" : of === "product" ? "code" : "name"}</th>
                {columns.map(([code, head]) => (
                  <th key={code} className={code === "units" ? "right" : undefined}>
                    {head}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {data.rows.map((r) => (
                <tr key={r.key} data-record={r.name}>
                  <td className="tight">
                    <RouterLink className="code figures" to={recordPath(of, r.key)} data-line="">
                      {r.name}
                    </RouterLink>
                  </td>
                  {columns.map(([code]) => (
                    <td
                      key={code}
                      className={code === "units" ? "figures right" : code === "name" ? undefined : "tight"}
                    >
                      {code === "units" ? r.units : (r.facts[code] ?? <span className="faint">–</span>)}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {data && data.total > pageful && (
        <p className="no-print" role="group" aria-label="Pages">
          <button
            type="button"
            className="act"
            disabled={offset === 0}
            onClick={() => change({ offset: String(Math.max(0, offset - pageful)) })}
          >
            the {pageful} before
          </button>
          <span className="figures faint">
            {figure(offset + 1)} to {figure(offset + data.rows.length)} of {figure(data.total)}
          </span>
          <button
            type="button"
            className="act"
            disabled={offset + data.rows.length >= data.total}
            onClick={() => change({ offset: String(offset + pageful) })}
          >
            the next {pageful}
          </button>
        </p>
      )}
      {of === "type" && coordinator && <StartingTypes onAdded={() => void queries.invalidateQueries()} />}
    </Frame>
  );
}
