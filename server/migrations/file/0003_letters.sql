CREATE TABLE `hr_letter` (
	`letter` text PRIMARY KEY NOT NULL,
	`folded` text NOT NULL,
	`sorted` text NOT NULL
) WITHOUT ROWID;
