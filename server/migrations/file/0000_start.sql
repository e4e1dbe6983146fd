CREATE TABLE `hr_change` (
	`version` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`at` text NOT NULL,
	`by` text NOT NULL,
	`what` text NOT NULL,
	`changes` text NOT NULL,
	`safe_copy` text
);
--> statement-breakpoint
CREATE TABLE `hr_definition` (
	`id` text PRIMARY KEY NOT NULL,
	`type` text NOT NULL,
	`position` integer NOT NULL,
	`document` text NOT NULL
);
--> statement-breakpoint
CREATE TABLE `hr_history` (
	`id` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`at` text NOT NULL,
	`by` text NOT NULL,
	`table_id` text NOT NULL,
	`key` text NOT NULL,
	`op` text NOT NULL,
	`before` text,
	`after` text
);
--> statement-breakpoint
CREATE TABLE `hr_place` (
	`table_id` text NOT NULL,
	`x` integer NOT NULL,
	`y` integer NOT NULL
);
--> statement-breakpoint
CREATE UNIQUE INDEX `hr_place_table` ON `hr_place` (`table_id`);