-- What anybody may look for, in one full-text table kept by triggers: a row is found again by its id times 16 and its kind.
CREATE VIRTUAL TABLE search USING fts5 (words, more, boat_id UNINDEXED, tokenize = 'unicode61 remove_diacritics 2', prefix = '2 3');

INSERT INTO search (rowid, words, more, boat_id) SELECT "boat".id * 16 + 1, "boat".name, "boat".owner, "boat".id FROM "boat" WHERE "boat".archived = 0;
CREATE TRIGGER boat_is_found AFTER INSERT ON "boat" WHEN NEW.archived = 0 BEGIN
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 1, NEW.name, NEW.owner, NEW.id;
END;
CREATE TRIGGER boat_is_found_anew AFTER UPDATE OF name, owner, archived ON "boat" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 1;
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 1, NEW.name, NEW.owner, NEW.id WHERE NEW.archived = 0;
END;
CREATE TRIGGER boat_is_lost AFTER DELETE ON "boat" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 1;
END;

INSERT INTO search (rowid, words, more, boat_id) SELECT "member".id * 16 + 2, "member".name, coalesce("member".code, '') || ' ' || "member".species, "member".boat_id FROM "member" WHERE "member".removed = 0 AND "member".name <> '';
CREATE TRIGGER member_is_found AFTER INSERT ON "member" WHEN NEW.removed = 0 AND NEW.name <> '' BEGIN
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 2, NEW.name, coalesce(NEW.code, '') || ' ' || NEW.species, NEW.boat_id;
END;
CREATE TRIGGER member_is_found_anew AFTER UPDATE OF name, code, species, removed ON "member" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 2;
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 2, NEW.name, coalesce(NEW.code, '') || ' ' || NEW.species, NEW.boat_id WHERE NEW.removed = 0 AND NEW.name <> '';
END;
CREATE TRIGGER member_is_lost AFTER DELETE ON "member" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 2;
END;

INSERT INTO search (rowid, words, more, boat_id) SELECT "finding".id * 16 + 3, replace("finding".kind, '_', ' ') || ' ' || "finding".place, "finding".note || ' ' || "finding".grade || ' ' || replace("finding".cause, '_', ' ') || ' ' || "finding".by_name, "finding".boat_id FROM "finding" WHERE "finding".withdrawn = 0;
CREATE TRIGGER finding_is_found AFTER INSERT ON "finding" WHEN NEW.withdrawn = 0 BEGIN
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 3, replace(NEW.kind, '_', ' ') || ' ' || NEW.place, NEW.note || ' ' || NEW.grade || ' ' || replace(NEW.cause, '_', ' ') || ' ' || NEW.by_name, NEW.boat_id;
END;
CREATE TRIGGER finding_is_found_anew AFTER UPDATE OF kind, place, note, grade, cause, withdrawn ON "finding" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 3;
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 3, replace(NEW.kind, '_', ' ') || ' ' || NEW.place, NEW.note || ' ' || NEW.grade || ' ' || replace(NEW.cause, '_', ' ') || ' ' || NEW.by_name, NEW.boat_id WHERE NEW.withdrawn = 0;
END;
CREATE TRIGGER finding_is_lost AFTER DELETE ON "finding" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 3;
END;

INSERT INTO search (rowid, words, more, boat_id) SELECT "piece".id * 16 + 4, "piece".name, "piece".species, "piece".boat_id FROM "piece" WHERE "piece".state <> 'dropped';
CREATE TRIGGER piece_is_found AFTER INSERT ON "piece" WHEN NEW.state <> 'dropped' BEGIN
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 4, NEW.name, NEW.species, NEW.boat_id;
END;
CREATE TRIGGER piece_is_found_anew AFTER UPDATE OF name, species, state ON "piece" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 4;
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 4, NEW.name, NEW.species, NEW.boat_id WHERE NEW.state <> 'dropped';
END;
CREATE TRIGGER piece_is_lost AFTER DELETE ON "piece" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 4;
END;

INSERT INTO search (rowid, words, more, boat_id) SELECT "task".id * 16 + 5, "task".what, '', "task".boat_id FROM "task" WHERE "task".dropped = 0;
CREATE TRIGGER task_is_found AFTER INSERT ON "task" WHEN NEW.dropped = 0 BEGIN
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 5, NEW.what, '', NEW.boat_id;
END;
CREATE TRIGGER task_is_found_anew AFTER UPDATE OF what, dropped ON "task" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 5;
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 5, NEW.what, '', NEW.boat_id WHERE NEW.dropped = 0;
END;
CREATE TRIGGER task_is_lost AFTER DELETE ON "task" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 5;
END;

INSERT INTO search (rowid, words, more, boat_id) SELECT "board".id * 16 + 6, "board".tag, "board".species || ' ' || "board".place || ' ' || "board".origin_note, NULL FROM "board" WHERE "board".withdrawn = 0;
CREATE TRIGGER board_is_found AFTER INSERT ON "board" WHEN NEW.withdrawn = 0 BEGIN
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 6, NEW.tag, NEW.species || ' ' || NEW.place || ' ' || NEW.origin_note, NULL;
END;
CREATE TRIGGER board_is_found_anew AFTER UPDATE OF tag, species, place, origin_note, withdrawn ON "board" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 6;
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 6, NEW.tag, NEW.species || ' ' || NEW.place || ' ' || NEW.origin_note, NULL WHERE NEW.withdrawn = 0;
END;
CREATE TRIGGER board_is_lost AFTER DELETE ON "board" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 6;
END;

INSERT INTO search (rowid, words, more, boat_id) SELECT "store_item".id * 16 + 7, "store_item".name, "store_item".kind || ' ' || "store_item".place, NULL FROM "store_item" WHERE 1;
CREATE TRIGGER store_item_is_found AFTER INSERT ON "store_item" WHEN 1 BEGIN
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 7, NEW.name, NEW.kind || ' ' || NEW.place, NULL;
END;
CREATE TRIGGER store_item_is_found_anew AFTER UPDATE OF name, kind, place ON "store_item" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 7;
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 7, NEW.name, NEW.kind || ' ' || NEW.place, NULL WHERE 1;
END;
CREATE TRIGGER store_item_is_lost AFTER DELETE ON "store_item" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 7;
END;

INSERT INTO search (rowid, words, more, boat_id) SELECT "account".id * 16 + 8, "account".name, "account".login || ' ' || "account".role, NULL FROM "account" WHERE "account".removed = 0;
CREATE TRIGGER account_is_found AFTER INSERT ON "account" WHEN NEW.removed = 0 BEGIN
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 8, NEW.name, NEW.login || ' ' || NEW.role, NULL;
END;
CREATE TRIGGER account_is_found_anew AFTER UPDATE OF name, login, role, removed ON "account" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 8;
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 8, NEW.name, NEW.login || ' ' || NEW.role, NULL WHERE NEW.removed = 0;
END;
CREATE TRIGGER account_is_lost AFTER DELETE ON "account" BEGIN
    DELETE FROM search WHERE rowid = OLD.id * 16 + 8;
END;

INSERT INTO search (rowid, words, more, boat_id) SELECT "event".id * 16 + 9, "event".summary, "event".by_name, "event".boat_id FROM "event" WHERE 1;
CREATE TRIGGER event_is_found AFTER INSERT ON "event" WHEN 1 BEGIN
    INSERT INTO search (rowid, words, more, boat_id) SELECT NEW.id * 16 + 9, NEW.summary, NEW.by_name, NEW.boat_id;
END;
