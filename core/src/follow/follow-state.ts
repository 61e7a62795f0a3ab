/** States of something that follows time. */
export type FollowState = 'silent' | 'settling' | 'locked' | 'freewheeling' | 'lost';
