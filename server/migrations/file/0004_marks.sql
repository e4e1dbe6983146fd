CREATE TABLE `hr_mark` (
	`mark` text PRIMARY KEY NOT NULL,
	`class` integer NOT NULL
) WITHOUT ROWID;
