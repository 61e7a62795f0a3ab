import { useRef, useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { measure } from '../../studio/workers';
import { Notice } from '../../parts/notice';
import { RecordingForm, type OpenFile } from './recording-form';

const MAX_BYTES = 512 * 2 ** 20;

/** A WAV file: device and click on two channels, or one channel and a known tempo or song. */
export function RecordingPanel() {
  const [file, setFile] = useState<OpenFile | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const latest = useRef(0);
  const open = async (dropped: File | undefined) => {
    if (!dropped) return;
    const turn = ++latest.current;
    if (dropped.size > MAX_BYTES) {
      setProblem(`${dropped.name} is larger than 512 MB. Export only the section with the beats and drop that.`);
      return;
    }
    setBusy(true);
    try {
      const bytes = new Uint8Array(await dropped.arrayBuffer());
      // Another file was dropped meanwhile; the worker holds only one.
      if (turn !== latest.current) return;
      const summary = await measure.openFile(bytes);
      if (turn !== latest.current) return;
      setFile({ ...summary, name: dropped.name, opened: Date.now() });
      setProblem(null);
    } catch (error) {
      setProblem(
        `${dropped.name}: ${error instanceof Error ? error.message : 'The file can’t be read. Check that it is a WAV file.'}`,
      );
    } finally {
      if (turn === latest.current) setBusy(false);
    }
  };
  const { getRootProps, getInputProps, isDragActive } = useDropzone({
    multiple: false,
    onDrop: ([dropped]) => void open(dropped),
  });
  return (
    <div className="flex flex-col gap-4">
      <div
        {...getRootProps({ 'aria-label': 'Drop a WAV file here, or choose one' })}
        className={`cursor-pointer border border-dashed px-3 py-5 text-center text-sm ${isDragActive ? 'border-clock bg-band' : 'border-soft hover:border-ink'}`}
      >
        <input {...getInputProps({ accept: '.wav,audio/wav', 'aria-label': 'WAV file' })} />
        {busy ? 'Reading…' : (file?.name ?? 'Drop a WAV file here, or choose one')}
      </div>
      {problem && <Notice>{problem}</Notice>}
      {file && !busy && <RecordingForm key={file.opened} file={file} onProblem={setProblem} />}
    </div>
  );
}
