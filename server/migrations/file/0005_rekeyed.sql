CREATE TABLE `hr_rekeyed` (
	`change` integer NOT NULL,
	`table_id` text NOT NULL,
	`was` text NOT NULL,
	`now` text NOT NULL,
	PRIMARY KEY(`change`, `table_id`, `was`)
);
--> statement-breakpoint
CREATE UNIQUE INDEX `hr_rekeyed_now` ON `hr_rekeyed` (`change`,`table_id`,`now`);