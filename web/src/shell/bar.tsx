import { chakra } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { Button, Row } from "../parts";
import { toggleMode } from "./mode";

/** Bar is the ink bar on top: the program, the site, and what serves every view. */
export function Bar({ children }: { children?: ReactNode }) {
  return (
    <chakra.div
      className="no-print"
      minH="bar"
      flexWrap={{ base: "wrap", md: "nowrap" }}
      py={{ base: "6px", md: 0 }}
      bg="bar"
      color="onBar"
      display="flex"
      alignItems="center"
      gap="14px"
      px="16px"
      gridColumn="1 / -1"
    >
      <Link to="/" style={{ color: "inherit", textDecoration: "none" }} aria-label="Vest Pin, all sites">
        <Row gap="12px">
          <svg width="24" height="24" viewBox="0 0 24 24" aria-hidden="true">
            <path
              d="M4 6l8 15 8-15"
              fill="none"
              stroke="currentColor"
              strokeWidth="2.2"
              strokeLinejoin="round"
              strokeLinecap="round"
            />
            <path d="M12 8v9" stroke="#D9A23F" strokeWidth="1.6" />
            <circle cx="12" cy="5.5" r="3" fill="#D9A23F" />
          </svg>
          <chakra.span fontWeight={700} fontSize="head" whiteSpace="nowrap">
            Vest Pin
          </chakra.span>
        </Row>
      </Link>
      {children ?? <chakra.span flex={1} />}
      <Button variant="bar" onClick={toggleMode} aria-label="Light or dark" title="Light or dark">
        ◐
      </Button>
    </chakra.div>
  );
}
