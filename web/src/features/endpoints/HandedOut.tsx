import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask } from "../../api/client";
import type { components } from "../../api/schema";
import { upload } from "../../api/upload";
import { bytes } from "../../lib/bytes";
import { stamp } from "../../lib/time";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useUpload } from "../../parts/useUpload";
import { Button } from "../../ui/Button";
import { fileLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";

type Package = components["schemas"]["UpdateAgentPackage"];
type Added = components["schemas"]["AddedAgentPackage"];

/** The packages of the agent that the service hands out. */
export function HandedOut({ list, may }: { list: Package[]; may: boolean }) {
  const client = useQueryClient();
  const again = () =>
    Promise.all(
      ["agent-packages", "agent-update"].map((key) =>
        client.invalidateQueries({ queryKey: [key] }),
      ),
    );
  const remove = useMutation({
    mutationFn: (digest: string) =>
      ask(api.DELETE("/api/v1/agent-packages/{digest}", { params: { path: { digest } } })),
    onSuccess: again,
  });
  return (
    <section aria-label="Packages" className="flex flex-col gap-2">
      <h2>Packages that are handed out</h2>
      {list.length === 0 ? (
        <p className="text-ink-2">None. Add those that make packages leaves.</p>
      ) : (
        <ul>
          {list.map((p) => (
            <li key={p.digest} className="flex items-center gap-3 border-b border-rule py-1">
              <span className="grow break-all">
                {p.file}
                <span className="block text-ink-2">
                  {bytes(p.bytes)}, {stamp(p.at).slice(0, 10)} by {p.author}
                </span>
              </span>
              {may && (
                <Button
                  aria-label={`Forget ${p.file}`}
                  disabled={remove.isPending}
                  onClick={() => remove.mutate(p.digest)}
                >
                  Forget
                </Button>
              )}
            </li>
          ))}
        </ul>
      )}
      {remove.error && <ProblemNotice title="The package was not forgotten" error={remove.error} />}
      {may && <Add onAdded={again} />}
    </section>
  );
}

function Add({ onAdded }: { onAdded: () => Promise<unknown> }) {
  const { sending, progress } = useUpload(
    (f, tell, signal) =>
      upload<Added>(
        `/api/v1/agent-packages?file=${encodeURIComponent(f.name)}`,
        f,
        "application/octet-stream",
        tell,
        signal,
      ),
    onAdded,
    "keeping it…",
  );
  return (
    <>
      <label className="flex flex-col gap-1">
        Add one (.deb, .rpm, .msi, .tar.gz)
        <input
          type="file"
          className={fileLook}
          accept=".deb,.rpm,.msi,.tar.gz"
          disabled={sending.isPending}
          onChange={(e) => {
            const f = e.target.files?.[0];
            if (f) sending.mutate(f);
            e.target.value = "";
          }}
        />
      </label>
      <span role="status" className="flex flex-wrap items-center gap-2">
        {progress}
        {sending.data && (
          <Mark of="yes">
            {sending.data.known
              ? `${sending.data.package.file} is kept already`
              : `${sending.data.package.file} is handed out`}
          </Mark>
        )}
      </span>
      {sending.error && <ProblemNotice title="The package was not kept" error={sending.error} />}
    </>
  );
}
