import { runFigures } from './run-figures';
void runFigures(Number(process.argv[2])).then((f) => console.log(JSON.stringify(f, null, 1)));
