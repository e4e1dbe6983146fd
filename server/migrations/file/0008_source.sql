CREATE TABLE `hr_source` (
	`table_id` text PRIMARY KEY NOT NULL,
	`address` text NOT NULL,
	`plan` text NOT NULL,
	`by` text NOT NULL,
	`at` text NOT NULL,
	`told` text NOT NULL
);
