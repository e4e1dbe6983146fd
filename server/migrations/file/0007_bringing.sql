CREATE TABLE `hr_bringing` (
	`table_id` text NOT NULL,
	`headings` text NOT NULL,
	`plan` text NOT NULL,
	`at` text NOT NULL,
	`by` text NOT NULL,
	PRIMARY KEY(`table_id`, `headings`)
);
--> statement-breakpoint
CREATE TABLE `hr_view` (
	`id` text PRIMARY KEY NOT NULL,
	`table_id` text NOT NULL,
	`name` text NOT NULL,
	`account` text,
	`document` text NOT NULL,
	`at` text NOT NULL,
	`by` text NOT NULL
);
--> statement-breakpoint
CREATE INDEX `hr_view_table` ON `hr_view` (`table_id`);--> statement-breakpoint
CREATE INDEX `hr_history_row` ON `hr_history` (`table_id`,`key`);