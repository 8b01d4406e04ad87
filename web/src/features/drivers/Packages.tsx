import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type DriverPackage } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useUpload } from "../../parts/useUpload";
import { driverReportQuery, uploadPackage } from "../../api/stock";
import { stamp } from "../../lib/time";
import { useUrl } from "../../lib/useUrl";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Copy } from "../../ui/Copy";
import { Drawer } from "../../ui/Drawer";
import { Fact, Facts } from "../../ui/Facts";
import { fileLook, inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Empty } from "../../ui/Notice";
import { bytes } from "../../lib/bytes";
import { Models } from "./Models";

/** Driver packages: kept by what is in them, so that the same files twice are one. */
export function Packages({ list }: { list: DriverPackage[] }) {
  const report = useQuery(driverReportQuery());
  const { get, set } = useUrl();
  const opened = list.find((p) => p.digest === get("package"));
  const use = (p: DriverPackage) =>
    report.data?.unused.includes(p.digest) ? (
      <Mark of="idle">no driver of the estate is of it</Mark>
    ) : report.data?.superseded.includes(p.digest) ? (
      <Mark of="behind">newer ones have all that is used</Mark>
    ) : report.data ? (
      <Mark of="yes">in use</Mark>
    ) : (
      ""
    );
  return (
    <>
      <Upload />
      {list.length === 0 && (
        <Empty title="No driver package is kept yet">
          Take the unpacked driver, with its .inf or .ppd files, as a zip archive; a folder goes up
          with <code className="font-mono">cirque driver add FOLDER</code>. The exact names are then
          chosen, not typed.
        </Empty>
      )}
      {list.length > 0 && (
        <table aria-label="Driver packages">
          <thead>
            <tr className="border-y border-rule-strong bg-wash text-left text-ink-2">
              {["Package", "Names", "Platforms", "Size", "Use", "Remarks", "Added"].map((h) => (
                <th key={h} scope="col" className="px-2 py-1 font-medium">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {list.map((p) => (
              <tr key={p.digest} className="border-b border-rule align-top hover:bg-wash">
                <th scope="row" className="px-2 py-1 text-left font-medium">
                  <button
                    type="button"
                    className="min-h-[24px] text-left text-accent hover:underline"
                    onClick={() => set("package", p.digest)}
                    aria-label={`Open ${p.name}`}
                  >
                    {p.name}
                  </button>
                  <span className="block font-mono text-[0.86em] font-normal text-ink-3">
                    {p.digest.slice(0, 12)}
                  </span>
                </th>
                <td className="px-2 py-1">{p.models.length}</td>
                <td className="px-2 py-1">
                  {[...new Set(p.models.map((m) => m.platform))].sort().join(", ")}
                </td>
                <td className="px-2 py-1">
                  {bytes(p.bytes)}, {count(p.count, "file")}
                </td>
                <td className="px-2 py-1">{use(p)}</td>
                <td className="px-2 py-1">
                  {p.problems?.length ? (
                    <Mark of="warning">{count(p.problems.length, "remark")}</Mark>
                  ) : (
                    "–"
                  )}
                </td>
                <td className="px-2 py-1">
                  <span className="whitespace-nowrap">{stamp(p.at).slice(0, 10)}</span> by{" "}
                  {p.author}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {opened && (
        <Drawer
          title={opened.name}
          description={`Driver package ${opened.digest.slice(0, 12)}, ${count(opened.models.length, "exact name")}`}
          open
          onOpenChange={() => set("package", "")}
        >
          <Sheet of={opened} onGone={() => set("package", "")} />
        </Drawer>
      )}
    </>
  );
}

function Upload() {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const { sending: send, progress } = useUpload(
    (f, tell, signal) =>
      uploadPackage(f, name.trim() || f.name.replace(/\.zip$/i, ""), tell, signal),
    () => {
      setName("");
      return client.invalidateQueries({ queryKey: ["drivers"] });
    },
    "reading its set-up files…",
  );
  return (
    <form
      className="my-3 flex flex-wrap items-end gap-3"
      aria-label="Add a package"
      onSubmit={(e) => e.preventDefault()}
    >
      <label className="flex flex-col gap-1">
        Name of a new package
        <input
          className={`${inputLook} w-64`}
          value={name}
          placeholder="the archive’s name"
          onChange={(e) => setName(e.target.value)}
        />
      </label>
      <label className="flex flex-col gap-1">
        Archive (zip)
        <input
          type="file"
          className={fileLook}
          accept=".zip,application/zip"
          disabled={send.isPending}
          onChange={(e) => {
            const f = e.target.files?.[0];
            if (f) send.mutate(f);
            e.target.value = "";
          }}
        />
      </label>
      <span role="status" className="flex items-center gap-2 pb-1">
        {progress}
        {send.data && (
          <Mark of="yes">
            {send.data.known
              ? `The same files are kept already, as ${send.data.package.name}`
              : `${send.data.package.name} is kept: ${count(send.data.package.models.length, "exact name")}`}
          </Mark>
        )}
      </span>
      {send.error && <ProblemNotice title="The package was not kept" error={send.error} />}
    </form>
  );
}

function Sheet({ of: p, onGone }: { of: DriverPackage; onGone: () => void }) {
  const client = useQueryClient();
  const whole = useQuery({
    queryKey: ["drivers", "packages", p.digest],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/v1/drivers/packages/{digest}", {
          params: { path: { digest: p.digest } },
          signal,
        }),
      ),
  });
  const remove = useMutation({
    mutationFn: (force: boolean) =>
      ask(
        api.DELETE("/api/v1/drivers/packages/{digest}", {
          params: { path: { digest: p.digest }, query: { force } },
        }),
      ),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ["drivers"] });
      onGone();
    },
  });
  return (
    <div className="flex flex-col gap-5">
      <Facts>
        <Fact name="Added">
          {stamp(p.at)} by {p.author}
        </Fact>
        <Fact name="SHA-256">
          <span className="font-mono text-[0.86em] break-all">{p.digest}</span>{" "}
          <Copy text={p.digest} what="the checksum" />
        </Fact>
        {p.note && <Fact name="Note">{p.note}</Fact>}
      </Facts>
      <Models of={p} />
      <section aria-label="Files">
        <h3 className="font-medium">Files</h3>
        <ul>
          {(whole.data?.files ?? []).map((f) => (
            <li key={f.path} className="flex gap-3 border-b border-rule py-0.5">
              <a
                className="min-w-0 flex-1 break-all"
                href={`/api/v1/drivers/packages/${p.digest}/file?path=${encodeURIComponent(f.path)}`}
              >
                {f.path}
              </a>
              <span className="figure text-ink-2">{bytes(f.bytes)}</span>
            </li>
          ))}
        </ul>
      </section>
      <div>
        {remove.error && <ProblemNotice title="It was not forgotten" error={remove.error} />}
        <Button disabled={remove.isPending} onClick={() => remove.mutate(remove.error !== null)}>
          {remove.error ? "Forget it all the same" : "Forget this package"}
        </Button>
      </div>
    </div>
  );
}
