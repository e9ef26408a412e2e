import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { sendFile } from "@/api/upload";

/** Send a file, then put it up for review. */
export async function upload(
  study: number,
  file: File,
  onShare: (share: number) => void,
): Promise<Schemas["IntakeRow"]> {
  const id = await sendFile(study, file, onShare);
  return data(
    api.POST("/api/studies/{study}/intakes", {
      params: { path: { study } },
      body: { upload: id, role: "" },
    }),
  );
}
