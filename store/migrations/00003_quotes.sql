-- +goose Up
-- Amounts are minor units, hands minutes, rates as the rate book has them.

ALTER TABLE studio ADD COLUMN ways TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(ways)); -- finish routes by process and tier, discount codes
ALTER TABLE people ADD COLUMN wage_minor INTEGER NOT NULL DEFAULT 0 CHECK (wage_minor >= 0); -- an hour with its costs; 0: the book's
ALTER TABLE rate_book ADD COLUMN who TEXT NOT NULL DEFAULT '';

ALTER TABLE orders ADD COLUMN terms TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(terms)); -- margin, rush, discount … of this order
ALTER TABLE items ADD COLUMN making TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(making)); -- finish route, counted features, extras
ALTER TABLE parts ADD COLUMN cut_into INTEGER NOT NULL DEFAULT 0 CHECK (cut_into BETWEEN 0 AND 12); -- printed in so many pieces; 0: in one
ALTER TABLE parts ADD COLUMN machine_id INTEGER REFERENCES machines (id); -- priced on; none: the cheapest that it fits
ALTER TABLE stages ADD COLUMN repeat INTEGER NOT NULL DEFAULT 0 CHECK (repeat IN (0, 1)); -- it came of a look that sent the piece back
UPDATE stages SET repeat = 1 WHERE EXISTS (SELECT 1 FROM stages e WHERE e.piece_id = stages.piece_id AND e.kind = stages.kind AND e.position < stages.position);
ALTER TABLE stages ADD COLUMN book_min REAL; -- planned by the book, before what stamps had taught

CREATE TABLE variants ( -- other ways to make an order, side by side
  id       INTEGER PRIMARY KEY,
  order_id INTEGER NOT NULL REFERENCES orders (id),
  position INTEGER NOT NULL,
  variant  TEXT NOT NULL CHECK (json_valid(variant))
) STRICT;
CREATE INDEX variants_order ON variants (order_id);

ALTER TABLE quotes ADD COLUMN chosen TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(chosen)); -- which of what was offered
CREATE INDEX quotes_order ON quotes (order_id);
CREATE INDEX quotes_sent ON quotes (sent_ms);

-- +goose Down
SELECT 1;
