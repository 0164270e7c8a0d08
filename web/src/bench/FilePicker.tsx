/** The browser's file dialog for pictures, opened by whoever holds the reference. */

import type { RefObject } from "react";

const PICTURE_TYPES =
  ".jpg,.jpeg,.png,.tif,.tiff,.webp,.dng,.arw,.cr2,.cr3,.nef,.orf,.pef,.raf,.rw2,.srw,image/jpeg,image/png,image/tiff,image/webp,.zip,application/zip";

export function FilePicker({
  ref,
  onFiles,
}: {
  ref: RefObject<HTMLInputElement | null>;
  onFiles: (files: File[]) => void;
}) {
  return (
    <input
      ref={ref}
      type="file"
      accept={PICTURE_TYPES}
      multiple
      hidden
      data-testid="file-input"
      onChange={(e) => {
        onFiles(Array.from(e.target.files ?? []));
        // The same file may be chosen again, after it was mended.
        e.target.value = "";
      }}
    />
  );
}
