-- Figures that a house keeps for all its cuts, by name.
CREATE TABLE house_figures (
    name VARCHAR(80) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL PRIMARY KEY,
    document LONGTEXT NOT NULL,
    changed_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3) ON UPDATE CURRENT_TIMESTAMP(3)
);

-- A cut that was taken away is not listed; it can be taken back.
ALTER TABLE cuts ADD COLUMN away_at DATETIME(3) NULL;
