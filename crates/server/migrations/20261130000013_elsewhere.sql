-- By whom and as whom somebody is known who signs in elsewhere (OpenID Connect): an address can change hands, this cannot.
ALTER TABLE people
    ADD COLUMN issuer VARCHAR(255) CHARACTER SET ascii COLLATE ascii_bin NULL,
    ADD COLUMN subject VARCHAR(255) CHARACTER SET ascii COLLATE ascii_bin NULL,
    ADD UNIQUE INDEX people_elsewhere (issuer, subject);
