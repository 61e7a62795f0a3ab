import { lazyView } from '../parts/lazy-view';

/** A page of the guide. */
export const guideText = lazyView(() => import('./guide-text').then(({ GuideText }) => GuideText));
