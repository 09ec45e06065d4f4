/** How a page of a hashtag's posts by lane time is found. */
export interface HashtagPlan {
  /** Whether all of its posts are looked at and sorted: they are hardly more than a page. */
  readonly all: boolean;
  /** So many posts are looked at in the order of the standings first; 0 for none. What that does not fill is found by their bounds. */
  readonly walk: number;
}

/** Up to so many pages of posts it is quicker to sort them all than to look for bounds. */
const FEW_PAGES = 2;
/** How much longer than the page should take the walk may be, before it is given up. */
const PATIENCE = 4;

/**
 * What finds a page soonest. A walk of all standings meets a hashtag that is on h of n posts once in n/h of them; looking at the
 * hashtag's own posts costs h at worst. Below √(n · page) posts the second is never dearer than what a walk should cost.
 * @param posts how many posts in sight have the hashtag
 * @param all how many posts stand, about
 * @param page how many are wanted
 */
export function hashtagPlan(posts: number, all: number, page: number): HashtagPlan {
  if (posts <= FEW_PAGES * page) return { all: true, walk: 0 };
  if (posts <= Math.sqrt(all * page)) return { all: false, walk: 0 };
  return { all: false, walk: Math.ceil((PATIENCE * all * page) / posts) };
}
