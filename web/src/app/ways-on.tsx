import { saveAll, useFilesFlow } from '../files/files-flow';
import { Button } from '../parts/button';
import { chooseRig } from '../studio/rig';

const openDemo = () => {
  chooseRig('boathouse');
  window.location.assign('/run');
};

/** Ways on after a failure: again, the demo, and all data as a file. */
export function WaysOn() {
  const problem = useFilesFlow(({ problem }) => problem);
  return (
    <>
      <div className="flex flex-wrap gap-3">
        <Button tone="strong" onClick={() => window.location.reload()}>
          Reload page
        </Button>
        <Button onClick={openDemo}>Open the demo</Button>
        <Button onClick={() => void saveAll('own')}>Export all my data (ZIP)</Button>
      </div>
      {problem && <p role="alert">{problem}</p>}
    </>
  );
}
