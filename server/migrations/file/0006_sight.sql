CREATE TABLE `hr_sight` (
	`name` text PRIMARY KEY NOT NULL,
	`value` text NOT NULL
);
