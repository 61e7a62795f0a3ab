import { Link } from 'react-router';
import { RECIPES, type Recipe } from '../../store/recipes';
import { changeRig } from '../../studio/rig';
import { showToast } from '../../toasts/toast-store';

/** For a rig without gear: common studios to begin with. */
export function RecipeList() {
  return (
    <section aria-labelledby="recipes" className="h-full max-w-3xl overflow-y-auto px-10 py-4 max-sm:px-5">
      <h2 className="mb-1 text-lg font-bold">Start from your ports</h2>
      <p className="mb-4 flex flex-wrap items-center gap-3 text-sm text-soft">
        <Link to="/set-up" className="border border-ink bg-ink px-3 py-1.5 text-sheet">
          Set up my studio
        </Link>
        Finds each device’s output and input by playing it, and brings everything into time.
      </p>
      <h2 id="recipes" className="mb-1 text-lg font-bold">
        Common studios
      </h2>
      <p className="mb-3 text-sm text-soft">
        Or start from one of these, or press Add gear to add each device yourself. You can change everything later.
      </p>
      <ul className="grid grid-cols-1 gap-2 xl:grid-cols-2">
        {RECIPES.map((recipe) => (
          <li key={recipe.id}>
            <button
              type="button"
              className="h-full w-full border border-rule bg-raised px-3 py-2 text-left hover:border-ink"
              onClick={() => void take(recipe)}
            >
              <b className="block">{recipe.name}</b>
              <span className="text-sm text-soft">{recipe.says}</span>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

async function take({ name, build }: Recipe): Promise<void> {
  await changeRig(build);
  showToast(`${name} added. Choose an output port on each device’s card.`);
}
