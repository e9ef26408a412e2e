import { api, data, putBytes, Trouble } from "@/api/client";

const TRIES = 3;

/**
 * Send a file part by part; its number as an upload. A part that fails is sent again, and a file
 * whose upload broke off goes on from the byte that is wanted next.
 */
export async function sendFile(
  study: number,
  file: File,
  onShare: (share: number) => void = () => undefined,
): Promise<number> {
  const begun = await data(
    api.POST("/api/studies/{study}/uploads", {
      params: { path: { study } },
      body: { name: file.name, size: file.size, modified: file.lastModified },
    }),
  );
  let received = begun.received;
  onShare(received / file.size);
  while (received < file.size) {
    const part = file.slice(received, received + begun.part_bytes);
    received = (await sendPart(study, begun.id, received, part)).received;
    onShare(received / file.size);
  }
  return begun.id;
}

async function sendPart(study: number, id: number, offset: number, part: Blob) {
  const path = `/api/studies/${study}/uploads/${id}/parts?offset=${offset}`;
  for (let attempt = 1; ; attempt++) {
    try {
      return await putBytes(path, part);
    } catch (problem) {
      const final = problem instanceof Trouble && problem.status >= 400 && problem.status < 500;
      if (final || attempt === TRIES) throw problem;
      await new Promise((resolve) => setTimeout(resolve, 500 * attempt));
    }
  }
}
