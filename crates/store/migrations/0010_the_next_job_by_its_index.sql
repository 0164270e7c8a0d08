-- The next job is the first of an index: workers ask for it all the time, and a sorted search reads every job that waits.

ALTER TABLE jobs
    DROP KEY by_turn,
    ADD KEY by_turn (state, priority DESC, place, id);
