import { Box, Button, Flex, HStack, Spacer, Text } from "@chakra-ui/react";
import { SunMoon } from "lucide-react";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { toggleMode } from "./mode";

/** Bar is the ink bar on top: the program, the site, and what serves every view. */
export function Bar({ children }: { children?: ReactNode }) {
  return (
    <Flex
      as="header"
      className="no-print"
      minH="bar"
      bg="bar"
      color="onBar"
      alignItems="center"
      gap={{ base: "8px", md: "14px" }}
      px={{ base: "10px", md: "16px" }}
      gridColumn="1 / -1"
    >
      <Box asChild color="inherit" textDecoration="none">
        <Link to="/" aria-label="Vest Pin, all sites">
          <HStack gap="12px" minH={{ base: "44px", md: "24px" }} minW={{ base: "44px", md: 0 }}>
            <svg width="24" height="24" viewBox="0 0 24 24" aria-hidden="true" className="hollow">
              <path
                d="M4 6l8 15 8-15"
                stroke="currentColor"
                strokeWidth="2.2"
                strokeLinejoin="round"
                strokeLinecap="round"
              />
              <path d="M12 8v9" className="stroke-brass-mark" strokeWidth="1.6" />
              <circle cx="12" cy="5.5" r="3" className="fill-brass-mark" />
            </svg>
            <Text
              fontWeight={700}
              fontSize="head"
              whiteSpace="nowrap"
              display={{ base: children ? "none" : "block", md: "block" }}
            >
              Vest Pin
            </Text>
          </HStack>
        </Link>
      </Box>
      {children ?? <Spacer />}
      <Button variant="ghost" onClick={toggleMode} aria-label="Light or dark" title="Light or dark">
        <SunMoon aria-hidden="true" />
      </Button>
    </Flex>
  );
}
