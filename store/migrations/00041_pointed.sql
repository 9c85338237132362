-- +goose Up
-- Whatever points at a row of a table that grows is found through an index: a model's sheet took two minutes in a studio with
-- history, for want of the first.
CREATE INDEX pieces_by_part ON pieces (part_id);
CREATE INDEX orders_by_repeats ON orders (repeats_id);
CREATE INDEX pictures_by_sha ON pictures (sha);
CREATE INDEX models_by_from ON models (from_id);
CREATE INDEX parts_by_orientation ON parts (orientation_id);
CREATE INDEX parts_by_model ON parts (model_id);
CREATE INDEX runs_by_lot ON runs (lot_id);
CREATE INDEX logbook_by_plate ON logbook (plate_id);
CREATE INDEX analyses_by_view_sha ON analyses (view_sha);
CREATE INDEX analyses_by_still_sha ON analyses (still_sha);
CREATE INDEX jobs_by_made ON jobs (made_id);
CREATE INDEX jobs_by_model ON jobs (model_id);
CREATE INDEX jobs_by_order ON jobs (order_id);
CREATE INDEX remedies_by_model ON remedies (model_id);
CREATE INDEX bookings_by_piece ON bookings (piece_id);
CREATE INDEX pieces_by_orientation ON pieces (orientation_id);
CREATE INDEX pieces_by_replaces ON pieces (replaces_id);
CREATE INDEX pieces_by_item ON pieces (item_id);
CREATE INDEX regions_by_stop_sha ON regions (stop_sha);
CREATE INDEX regions_by_over ON regions (over_id);
CREATE INDEX regions_by_part ON regions (part_id);
CREATE INDEX coats_by_mix ON coats (mix_id);
CREATE INDEX flaws_by_photo_sha ON flaws (photo_sha);

-- +goose Down
SELECT 1;
