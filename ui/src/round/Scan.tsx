import { useEffect, useRef, useState } from "react";

/** What a browser that reads codes has (Barcode Detection API). */
interface Detector {
  detect(source: HTMLVideoElement): Promise<{ rawValue: string }[]>;
}
type DetectorOf = new (options: { formats: string[] }) => Detector;

const detector = () => (globalThis as { BarcodeDetector?: DetectorOf }).BarcodeDetector;

/** Whether this browser reads codes and has a camera; elsewhere the phone's own camera app opens the label's address. */
export const canScan = () => detector() !== undefined && "mediaDevices" in navigator;

/** The number of a unit in what a label says: its address, or the text itself. */
export function codeOf(text: string): string {
  const match = /\/units\/([^/?#]+)/.exec(text);
  return match?.[1] ? decodeURIComponent(match[1]) : text;
}

/** Reads a label by the camera. */
export function Scan({ onCode, onClose }: { onCode: (code: string) => void; onClose: () => void }) {
  const video = useRef<HTMLVideoElement>(null);
  const [failed, setFailed] = useState("");
  const found = useRef(onCode);
  useEffect(() => {
    found.current = onCode;
  }, [onCode]);
  useEffect(() => {
    let stopped = false;
    let stream: MediaStream | undefined;
    async function look() {
      const Of = detector();
      if (!Of) return;
      try {
        stream = await navigator.mediaDevices.getUserMedia({ video: { facingMode: "environment" } });
        const shown = video.current;
        if (!shown) return;
        shown.srcObject = stream;
        await shown.play();
        const reads = new Of({ formats: ["qr_code"] });
        while (!stopped) {
          const [code] = await reads.detect(shown);
          if (code) {
            found.current(codeOf(code.rawValue));
            return;
          }
          await new Promise((later) => setTimeout(later, 150));
        }
      } catch {
        setFailed("The camera cannot be used here. Type the number, or open the label with the phone’s own camera.");
      }
    }
    void look();
    return () => {
      stopped = true;
      stream?.getTracks().forEach((t) => t.stop());
    };
  }, []);
  return (
    <div className="scan">
      {failed ? <p className="alarm">{failed}</p> : <video ref={video} muted playsInline aria-label="Camera" />}
      <button type="button" className="choice" onClick={onClose}>
        close
      </button>
    </div>
  );
}
