import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { Events } from '../../notifications/events/events.js';
import { AuthorDraw } from './author-draw.entity.js';
import { Draws } from './service.js';

const FOLLOWED_UP_SECONDS = 30;

/** What the posts of authors drew lately. */
export const draw: Capability = {
  name: 'draw',
  entities: [AuthorDraw],
  tables: { author_draws: { shown: ['user_id', 'draw', 'made_at'], filled: true } },
  checks: [orphans('author_draws', 'user_id', 'users')],
  start(house) {
    const { background, config } = house;
    const draws = house.add(new Draws(background, new Events(background, config.live.keptHours)));
    return {
      jobs: [
        {
          does: 'reckon what authors drew whose posts were acted on',
          everySeconds: FOLLOWED_UP_SECONDS,
          run: () => draws.followUp(),
        },
        { does: 'reckon what all authors drew', run: () => draws.reckonAll() },
      ],
    };
  },
};
